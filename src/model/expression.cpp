#include "model/expression.hpp"

#include "core/quantity.hpp"
#include "core/wildcard.hpp"

#include <halvo/plan.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <stdexcept>

namespace halvo {

struct Expression::Node {
    enum class Op {
        number,
        text,
        word,
        either,
        both,
        no,
        less,
        less_or_same,
        more,
        more_or_same,
        same,
        other,
        plus,
        minus,
        times,
        over,
        negative,
        abs,
        sqrt,
        min,
        max
    };
    enum class Type { number, text, truth };
    Op op = Op::number;
    Type type = Type::number;
    double number = 0;
    std::string text;
    std::vector<Node> parts;
};

namespace {

using Node = Expression::Node;
using Op = Node::Op;
using Type = Node::Type;

const std::map<std::string, Type, std::less<>>& word_types() {
    static const std::map<std::string, Type, std::less<>> all = [] {
        std::map<std::string, Type, std::less<>> m;
        for (const char* w : {"x", "y", "z", "r", "angle", "tilt", "nx", "ny", "nz", "nr", "thickness", "radius", "area", "length", "sheets"})
            m[w] = Type::number;
        for (const char* w : {"kind", "body", "path", "layer", "wall", "sheet", "member", "surface", "section"}) m[w] = Type::text;
        for (const char* w : {"free", "shared", "round"}) m[w] = Type::truth;
        return m;
    }();
    return all;
}

class Parser {
public:
    Parser(const std::string& text, std::string where) : text_(text), where_(std::move(where)) {}

    Node parse() {
        Node n = either();
        skip();
        if (at_ < text_.size()) fail(at_, "does not go on like this; join comparisons with and, or");
        need(n, Type::truth, 0, "an expression must be true or false; compare with < <= > >= = !=");
        return n;
    }

private:
    [[noreturn]] void fail(std::size_t at, const std::string& what) const {
        throw Error(ErrorKind::input, fmt::format("{}: set.where \"{}\", at character {}: {}", where_, text_, at + 1, what));
    }
    void need(const Node& n, Type type, std::size_t at, const std::string& what) const {
        if (n.type != type) fail(at, what);
    }
    void skip() {
        while (at_ < text_.size() && std::isspace(static_cast<unsigned char>(text_[at_]))) ++at_;
    }
    bool take(std::string_view sign) {
        skip();
        if (text_.compare(at_, sign.size(), sign) != 0) return false;
        at_ += sign.size();
        return true;
    }
    static bool of_word(char c) { return std::isalnum(static_cast<unsigned char>(c)) || c == '_'; }
    bool take_word(std::string_view word) {
        skip();
        if (text_.compare(at_, word.size(), word) != 0 || (at_ + word.size() < text_.size() && of_word(text_[at_ + word.size()]))) return false;
        at_ += word.size();
        return true;
    }
    static Node make(Op op, Type type, std::vector<Node> parts) {
        Node n;
        n.op = op, n.type = type, n.parts = std::move(parts);
        return n;
    }
    Node joined(const char* word, Op op, Node (Parser::*next)()) {
        std::size_t start = at_;
        Node n = (this->*next)();
        while (take_word(word)) {
            need(n, Type::truth, start, fmt::format("{} joins what is true or false", word));
            start = at_;
            Node more = (this->*next)();
            need(more, Type::truth, start, fmt::format("{} joins what is true or false", word));
            n = make(op, Type::truth, {std::move(n), std::move(more)});
        }
        return n;
    }
    Node either() { return joined("or", Op::either, &Parser::both); }
    Node both() { return joined("and", Op::both, &Parser::no); }
    Node no() {
        if (!take_word("not")) return comparison();
        const std::size_t start = at_;
        Node n = no();
        need(n, Type::truth, start, "not turns what is true or false");
        return make(Op::no, Type::truth, {std::move(n)});
    }
    Node comparison() {
        skip();
        const std::size_t start = at_;
        Node n = sum();
        const std::array<std::pair<const char*, Op>, 7> signs{
            {{"<=", Op::less_or_same}, {">=", Op::more_or_same}, {"!=", Op::other}, {"==", Op::same}, {"<", Op::less}, {">", Op::more}, {"=", Op::same}}};
        for (const auto& [sign, op] : signs) {
            if (!take(sign)) continue;
            skip();
            Node right = sum();
            if (n.type != right.type) fail(start, fmt::format("compares {} with {}", type_name(n.type), type_name(right.type)));
            if (n.type != Type::number && op != Op::same && op != Op::other) fail(start, fmt::format("{} can be = or != only", type_name(n.type)));
            n = make(op, Type::truth, {std::move(n), std::move(right)});
            // a < x < b
            const std::size_t here = at_;
            if (n.parts[1].type == Type::number && (take("<") || take(">"))) fail(here, "compares twice; write it as two comparisons with and");
            return n;
        }
        return n;
    }
    static const char* type_name(Type t) { return t == Type::number ? "a number" : t == Type::text ? "a text" : "something true or false"; }
    Node sum() {
        const std::size_t start = at_;
        Node n = product();
        for (;;) {
            const Op op = take("+") ? Op::plus : take("-") ? Op::minus : Op::number;
            if (op == Op::number) return n;
            Node more = product();
            if (n.type != Type::number || more.type != Type::number) fail(start, "adds what are no numbers");
            n = make(op, Type::number, {std::move(n), std::move(more)});
        }
    }
    Node product() {
        const std::size_t start = at_;
        Node n = factor();
        for (;;) {
            const Op op = take("*") ? Op::times : take("/") ? Op::over : Op::number;
            if (op == Op::number) return n;
            Node more = factor();
            if (n.type != Type::number || more.type != Type::number) fail(start, "multiplies what are no numbers");
            n = make(op, Type::number, {std::move(n), std::move(more)});
        }
    }
    Node factor() {
        skip();
        const std::size_t start = at_;
        if (++depth_ > 200) fail(start, "is nested too deeply");
        Node n = unguarded_factor(start);
        --depth_;
        return n;
    }
    Node unguarded_factor(std::size_t start) {
        if (at_ >= text_.size()) fail(start, "ends too early");
        if (take("-")) {
            Node n = factor();
            need(n, Type::number, start, "turns the sign of what is no number");
            return make(Op::negative, Type::number, {std::move(n)});
        }
        if (take("(")) {
            Node n = either();
            if (!take(")")) fail(start, "this parenthesis is not closed");
            return n;
        }
        const char c = text_[at_];
        if (c == '\'' || c == '"') return quoted(c, start);
        if (std::isdigit(static_cast<unsigned char>(c)) || c == '.') return number(start);
        if (std::isalpha(static_cast<unsigned char>(c))) return word(start);
        fail(start, fmt::format("\"{}\" means nothing here", c));
    }
    Node quoted(char quote, std::size_t start) {
        const std::size_t end = text_.find(quote, at_ + 1);
        if (end == std::string::npos) fail(start, "this text is not closed");
        Node n;
        n.op = Op::text, n.type = Type::text, n.text = text_.substr(at_ + 1, end - at_ - 1);
        at_ = end + 1;
        return n;
    }
    Node number(std::size_t start) {
        char* end = nullptr;
        Node n;
        n.number = std::strtod(text_.c_str() + at_, &end);
        at_ = static_cast<std::size_t>(end - text_.c_str());
        // A unit may follow: a word that no operator is.
        const std::size_t after = at_;
        skip();
        std::size_t stop = at_;
        while (stop < text_.size() && (of_word(text_[stop]) || static_cast<unsigned char>(text_[stop]) >= 0x80)) ++stop;
        const std::string unit = text_.substr(at_, stop - at_);
        if (unit.empty() || unit == "and" || unit == "or") {
            at_ = after;
            return n;
        }
        at_ = stop;
        for (const char* to : {"mm", "mm2", "degree"}) {
            try {
                n.number = quantity(fmt::format("{:.17g} {}", n.number, unit), to);
                return n;
            } catch (const std::invalid_argument&) {
                continue;
            }
        }
        fail(start, fmt::format("\"{}\" is no unit of a length, an area or an angle", unit));
    }
    Node word(std::size_t start) {
        std::size_t stop = at_;
        while (stop < text_.size() && of_word(text_[stop])) ++stop;
        const std::string name = text_.substr(at_, stop - at_);
        at_ = stop;
        const std::array<std::pair<const char*, Op>, 4> functions{{{"abs", Op::abs}, {"sqrt", Op::sqrt}, {"min", Op::min}, {"max", Op::max}}};
        for (const auto& [f, op] : functions) {
            if (name != f) continue;
            if (!take("(")) fail(start, fmt::format("{} takes numbers in parentheses", f));
            std::vector<Node> parts;
            do {
                skip();
                const std::size_t at = at_;
                parts.push_back(sum());
                need(parts.back(), Type::number, at, fmt::format("{} takes numbers", f));
            } while (take(","));
            if (!take(")")) fail(start, "this parenthesis is not closed");
            const bool single = op == Op::abs || op == Op::sqrt;
            if (single != (parts.size() == 1)) fail(start, fmt::format("{} takes {}", f, single ? "one number" : "two numbers or more"));
            return make(op, Type::number, std::move(parts));
        }
        const auto it = word_types().find(name);
        if (it == word_types().end())
            fail(start, fmt::format("\"{}\" is not known; the nearest known word is {}", name, nearest_name(name, Expression::words())));
        Node n;
        n.op = Op::word, n.type = it->second, n.text = name;
        return n;
    }

    const std::string& text_;
    std::string where_;
    std::size_t at_ = 0;
    int depth_ = 0;
};

using Look = std::function<ExpressionValue(std::string_view)>;

double number_of(const Node& n, const Look& look) {
    const auto part = [&](std::size_t i) { return number_of(n.parts[i], look); };
    switch (n.op) {
        case Op::number:
            return n.number;
        case Op::word:
            return std::get<double>(look(n.text));
        case Op::plus:
            return part(0) + part(1);
        case Op::minus:
            return part(0) - part(1);
        case Op::times:
            return part(0) * part(1);
        case Op::over:
            return part(0) / part(1);
        case Op::negative:
            return -part(0);
        case Op::abs:
            return std::abs(part(0));
        case Op::sqrt:
            return std::sqrt(part(0));
        default:
            break;
    }
    double v = part(0);
    for (std::size_t i = 1; i < n.parts.size(); ++i) v = n.op == Op::min ? std::min(v, part(i)) : std::max(v, part(i));
    return v;
}

std::string text_of(const Node& n, const Look& look) {
    return n.op == Op::text ? n.text : std::get<std::string>(look(n.text));
}

bool truth_of(const Node& n, const Look& look);

bool compared(const Node& n, const Look& look) {
    const Node &a = n.parts[0], &b = n.parts[1];
    if (a.type == Type::truth) return (truth_of(a, look) == truth_of(b, look)) == (n.op == Op::same);
    if (a.type == Type::text) {
        const std::string s = text_of(a, look), t = text_of(b, look);
        return (a.op == Op::text ? wildcard_match(s, t) : wildcard_match(t, s)) == (n.op == Op::same);
    }
    const double x = number_of(a, look), y = number_of(b, look);
    if (std::isnan(x) || std::isnan(y)) return false;
    // What lies on a limit but for rounding is on it.
    const double rounding = 1e-9 * std::max(std::abs(x), std::abs(y));
    switch (n.op) {
        case Op::less:
            return x < y - rounding;
        case Op::less_or_same:
            return x <= y + rounding;
        case Op::more:
            return x > y + rounding;
        case Op::more_or_same:
            return x >= y - rounding;
        case Op::same:
            return std::abs(x - y) <= rounding;
        default:
            return std::abs(x - y) > rounding;
    }
}

bool truth_of(const Node& n, const Look& look) {
    switch (n.op) {
        case Op::either:
            return truth_of(n.parts[0], look) || truth_of(n.parts[1], look);
        case Op::both:
            return truth_of(n.parts[0], look) && truth_of(n.parts[1], look);
        case Op::no:
            return !truth_of(n.parts[0], look);
        case Op::word:
            return std::get<bool>(look(n.text));
        default:
            return compared(n, look);
    }
}

}  // namespace

Expression::Expression(const std::string& text, std::string where) : root_(std::make_unique<Node>(Parser(text, std::move(where)).parse())) {}
Expression::~Expression() = default;
Expression::Expression(Expression&&) noexcept = default;

bool Expression::holds(const std::function<ExpressionValue(std::string_view)>& look) const {
    return truth_of(*root_, look);
}

std::vector<std::string> Expression::words() {
    std::vector<std::string> out;
    for (const auto& [w, t] : word_types()) out.push_back(w);
    return out;
}

}  // namespace halvo
