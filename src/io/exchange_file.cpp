#include "io/exchange_file.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

namespace halvo::io {
namespace {

constexpr std::size_t sparse_from = std::size_t{1} << 20;  // numbers beyond this and eight times the bytes' worth of instances go to a hash table
constexpr std::size_t bytes_an_instance = 8;               // no instance is shorter: "#1=A();" and a line end
constexpr int deepest_list = 64;                           // lists within lists; the standard's entities need three

// What products, placements, units and styles are found by: all else is reached from these.
constexpr std::array<std::string_view, 7> kinds_listed{"SHAPE_DEFINITION_REPRESENTATION",
                                                       "NEXT_ASSEMBLY_USAGE_OCCURRENCE",
                                                       "CONTEXT_DEPENDENT_SHAPE_REPRESENTATION",
                                                       "SHAPE_REPRESENTATION_RELATIONSHIP",
                                                       "STYLED_ITEM",
                                                       "OVER_RIDING_STYLED_ITEM",
                                                       "PRESENTATION_LAYER_ASSIGNMENT"};

bool is_space(char c) {
    return c == ' ' || c == '\n' || c == '\r' || c == '\t';
}
bool is_word(char c) {
    return (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || (c >= 'a' && c <= 'z') || c == '!' || c == '-';
}

// Past spaces and comments.
std::size_t past_space(std::string_view t, std::size_t i) {
    for (;;) {
        while (i < t.size() && is_space(t[i])) ++i;
        if (i + 1 >= t.size() || t[i] != '/' || t[i + 1] != '*') return i;
        const std::size_t end = t.find("*/", i + 2);
        i = end == std::string_view::npos ? t.size() : end + 2;
    }
}

std::size_t past_text(std::string_view t, std::size_t i) {
    // Two quotes side by side are one within the text.
    for (++i;; i += 2) {
        i = t.find('\'', i);
        if (i == std::string_view::npos) return t.size();
        if (i + 1 >= t.size() || t[i + 1] != '\'') return i + 1;
    }
}

std::string_view word_at(std::string_view t, std::size_t i) {
    std::size_t end = i;
    while (end < t.size() && is_word(t[end])) ++end;
    return t.substr(i, end - i);
}

void put_utf8(std::string& out, std::uint32_t c) {
    if (c < 0x80) out += static_cast<char>(c);
    else if (c < 0x800) out += static_cast<char>(0xC0 | (c >> 6)), out += static_cast<char>(0x80 | (c & 0x3F));
    else if (c < 0x10000)
        out += static_cast<char>(0xE0 | (c >> 12)), out += static_cast<char>(0x80 | ((c >> 6) & 0x3F)), out += static_cast<char>(0x80 | (c & 0x3F));
    else if (c < 0x110000)
        out += static_cast<char>(0xF0 | (c >> 18)), out += static_cast<char>(0x80 | ((c >> 12) & 0x3F)), out += static_cast<char>(0x80 | ((c >> 6) & 0x3F)),
            out += static_cast<char>(0x80 | (c & 0x3F));
}

std::optional<std::uint32_t> hex(std::string_view t) {
    std::uint32_t v = 0;
    const auto [end, bad] = std::from_chars(t.data(), t.data() + t.size(), v, 16);
    if (bad != std::errc() || end != t.data() + t.size()) return std::nullopt;
    return v;
}

// \X2\ and \X4\ up to \X0\: characters of four or eight hexadecimal digits each. Gives where it ends.
std::size_t decode_wide(std::string_view t, std::size_t i, std::size_t digits, std::string& out) {
    const std::size_t end = std::min(t.find("\\X0\\", i), t.size());
    std::uint32_t lead = 0;
    for (; i + digits <= end; i += digits) {
        const auto c = hex(t.substr(i, digits));
        if (!c) continue;
        if (*c >= 0xD800 && *c < 0xDC00) lead = *c;
        else if (*c >= 0xDC00 && *c < 0xE000 && lead) put_utf8(out, 0x10000 + ((lead - 0xD800) << 10) + (*c - 0xDC00)), lead = 0;
        else put_utf8(out, *c);
    }
    return std::min(end + 4, t.size());
}

// ISO 10303-21, 6.4.3: control directives in texts. Bytes beyond ASCII, which real writers leave in, stay as they are.
std::string decoded(std::string_view t) {
    std::string out;
    for (std::size_t i = 0; i < t.size();) {
        const std::string_view rest = t.substr(i);
        if (rest.starts_with("''")) out += '\'', i += 2;
        else if (rest.starts_with("\\\\")) out += '\\', i += 2;
        else if (rest.starts_with("\\X2\\")) i = decode_wide(t, i + 4, 4, out);
        else if (rest.starts_with("\\X4\\")) i = decode_wide(t, i + 4, 8, out);
        else if (rest.starts_with("\\X\\") && rest.size() >= 5) put_utf8(out, hex(rest.substr(3, 2)).value_or('?')), i += 5;
        else if (rest.starts_with("\\S\\") && rest.size() >= 4) put_utf8(out, static_cast<unsigned char>(rest[3]) + 128U), i += 4;
        else if (rest.starts_with("\\P") && rest.size() >= 4 && rest[3] == '\\') i += 4;
        else if (rest[0] == '\n' || rest[0] == '\r') ++i;
        else out += static_cast<unsigned char>(rest[0]) < 32 ? ' ' : rest[0], ++i;
    }
    return out;
}

}  // namespace

void Parameters21::fail(const char* wanted) const {
    throw NotUnderstood(fmt::format("{} expected at byte {}", wanted, at_));
}

char Parameters21::next() {
    std::size_t i = past_space(text_, at_);
    if (!first_ && i < text_.size() && text_[i] == ',') i = past_space(text_, i + 1);
    return i < text_.size() ? text_[i] : '\0';
}

void Parameters21::separate() {
    at_ = past_space(text_, at_);
    if (!first_) {
        if (at_ >= text_.size() || text_[at_] != ',') fail("a comma");
        at_ = past_space(text_, at_ + 1);
    }
    first_ = false;
    if (at_ >= text_.size()) fail("a value");
}

double Parameters21::real() {
    separate();
    if (text_[at_] >= 'A' && text_[at_] <= 'Z') {  // a typed value, such as PARAMETER_VALUE(1.)
        first_ = true;
        open_typed();
        const double v = real();
        if (!closed()) fail("one value");
        return v;
    }
    if (text_[at_] == '+') ++at_;
    double v = 0;
    const auto [end, bad] = std::from_chars(text_.data() + at_, text_.data() + text_.size(), v);
    if (bad != std::errc() || !std::isfinite(v)) fail("a number");
    at_ = static_cast<std::size_t>(end - text_.data());
    return v;
}

std::int64_t Parameters21::integer() {
    const double v = real();
    if (v != std::floor(v) || std::abs(v) > 1e15) fail("a whole number");
    return static_cast<std::int64_t>(v);
}

std::uint64_t Parameters21::reference() {
    separate();
    if (text_[at_] != '#') fail("a reference");
    std::uint64_t v = 0;
    const auto [end, bad] = std::from_chars(text_.data() + at_ + 1, text_.data() + text_.size(), v);
    if (bad != std::errc()) fail("a reference");
    at_ = static_cast<std::size_t>(end - text_.data());
    return v;
}

std::optional<std::uint64_t> Parameters21::reference_or_none() {
    if (next() == '#') return reference();
    skip();
    return std::nullopt;
}

std::string_view Parameters21::enumeration() {
    separate();
    if (text_[at_] != '.') fail("an enumeration");
    const std::size_t end = text_.find('.', at_ + 1);
    if (end == std::string_view::npos) fail("an enumeration");
    const std::string_view v = text_.substr(at_ + 1, end - at_ - 1);
    at_ = end + 1;
    return v;
}

bool Parameters21::logical() {
    return enumeration() == "T";
}

std::string Parameters21::text() {
    separate();
    if (text_[at_] == '$' || text_[at_] == '*') {
        ++at_;
        return {};
    }
    if (text_[at_] != '\'') fail("a text");
    const std::size_t end = past_text(text_, at_), from = at_ + 1;
    if (end <= from) fail("a text");
    at_ = end;
    return decoded(text_.substr(from, end - 1 - from));
}

void Parameters21::skip(int count) {
    for (int k = 0; k < count; ++k) {
        separate();
        int depth = 0;
        for (bool done = false; !done;) {
            if (at_ >= text_.size()) fail("a value");
            const char c = text_[at_];
            if (c == '\'') at_ = past_text(text_, at_), done = depth == 0;
            else if (text_.substr(at_, 2) == "/*") at_ = past_space(text_, at_);
            else if (c == '(') ++at_, ++depth;
            else if (c == ')') {
                if (depth == 0) break;  // of the list around it
                ++at_, --depth, done = depth == 0;
            } else if ((c == ',' || c == ';') && depth == 0) break;
            else if (c == ';') fail("a closed list");
            else ++at_;
        }
    }
}

void Parameters21::open() {
    separate();
    if (text_[at_] != '(') fail("a list");
    ++at_, first_ = true;
}

bool Parameters21::closed() {
    at_ = past_space(text_, at_);
    if (at_ >= text_.size() || text_[at_] != ')') return false;
    ++at_, first_ = false;
    return true;
}

std::string_view Parameters21::open_typed() {
    separate();
    const std::string_view word = word_at(text_, at_);
    if (word.empty()) fail("a typed value");
    at_ = past_space(text_, at_ + word.size());
    if (at_ >= text_.size() || text_[at_] != '(') fail("a typed value");
    ++at_, first_ = true;
    return word;
}

std::vector<std::uint64_t> Parameters21::references() {
    std::vector<std::uint64_t> out;
    for (open(); !closed();) out.push_back(reference());
    return out;
}

std::vector<double> Parameters21::reals() {
    std::vector<double> out;
    for (open(); !closed();) out.push_back(real());
    return out;
}

std::vector<std::int64_t> Parameters21::integers() {
    std::vector<std::int64_t> out;
    for (open(); !closed();) out.push_back(integer());
    return out;
}

ExchangeFile::ExchangeFile(std::string_view text) : text_(text) {
    for (const std::string_view k : kinds_listed) listed_[k];
    index();
}

// One pass from semicolon to semicolon, over texts and comments; lists are not looked into.
void ExchangeFile::index() {
    std::size_t i = text_.find("ENDSEC;");  // of the header
    if (i == std::string_view::npos) throw NotUnderstood("no header section");
    i = past_space(text_, i + std::string_view("ENDSEC;").size());
    if (word_at(text_, i) != "DATA") throw NotUnderstood("no data section after the header");
    i = text_.find(';', i);
    if (i == std::string_view::npos) throw NotUnderstood("no data section");
    const std::size_t most = std::max(sparse_from, text_.size() / bytes_an_instance);
    for (++i;;) {
        i = past_space(text_, i);
        if (i >= text_.size()) throw NotUnderstood("a data section without end");
        if (text_[i] != '#') {
            if (word_at(text_, i) == "ENDSEC") break;
            throw NotUnderstood(fmt::format("an instance expected at byte {}", i));
        }
        std::uint64_t id = 0;
        const auto [end, bad] = std::from_chars(text_.data() + i + 1, text_.data() + text_.size(), id);
        if (bad != std::errc()) throw NotUnderstood(fmt::format("an instance without number at byte {}", i));
        i = past_space(text_, static_cast<std::size_t>(end - text_.data()));
        if (i >= text_.size() || text_[i] != '=') throw NotUnderstood(fmt::format("= expected at byte {}", i));
        i = past_space(text_, i + 1);
        if (where(id) != 0) throw NotUnderstood(fmt::format("#{} stands twice", id));
        if (id < most) {
            if (id >= dense_.size()) dense_.resize(std::min<std::size_t>(most, std::max<std::size_t>(2 * dense_.size(), id + 1)), 0);
            dense_[id] = i;
        } else {
            sparse_[id] = i;
        }
        const std::string_view word = word_at(text_, i);
        if (word.empty()) complex_.push_back(id);
        else if (const auto it = listed_.find(word); it != listed_.end()) it->second.push_back(id);
        for (;; ++i) {
            i = text_.find_first_of(";'/", i);
            if (i == std::string_view::npos) throw NotUnderstood(fmt::format("#{} has no end", id));
            if (text_[i] == ';') break;
            if (text_[i] == '\'') i = past_text(text_, i) - 1;
            else if (i + 1 < text_.size() && text_[i + 1] == '*') i = past_space(text_, i) - 1;
        }
        ++i;
    }
    // A second data section refers to instances of the first; none of those that CAD writes has one.
    const std::size_t other = text_.find("DATA", i);
    if (other != std::string_view::npos && text_.find("ENDSEC", other) != std::string_view::npos) throw NotUnderstood("several data sections");
}

std::size_t ExchangeFile::expect(std::uint64_t id) const {
    const std::size_t at = where(id);
    if (at == 0) throw NotUnderstood(fmt::format("#{} is missing", id));
    return at;
}

std::string_view ExchangeFile::keyword(std::uint64_t id) const {
    return word_at(text_, expect(id));
}

Parameters21 ExchangeFile::of(std::uint64_t id) const {
    const std::size_t at = expect(id), open = past_space(text_, at + word_at(text_, at).size());
    if (open >= text_.size() || text_[open] != '(') throw NotUnderstood(fmt::format("#{} has no parameters", id));
    return {text_, open + 1};
}

Parameters21 ExchangeFile::of(std::uint64_t id, std::string_view wanted) const {
    if (keyword(id) != wanted) throw NotUnderstood(fmt::format("#{} is {} where {} should be", id, keyword(id), wanted));
    return of(id);
}

std::optional<Parameters21> ExchangeFile::part(std::uint64_t id, std::string_view wanted) const {
    std::size_t i = expect(id);
    if (text_[i] != '(') return std::nullopt;
    for (i = past_space(text_, i + 1); i < text_.size() && text_[i] != ')';) {
        const std::string_view word = word_at(text_, i);
        i = past_space(text_, i + word.size());
        if (word.empty() || i >= text_.size() || text_[i] != '(') throw NotUnderstood(fmt::format("#{} is no list of records", id));
        if (word == wanted) return Parameters21(text_, i + 1);
        int depth = 0;
        for (; i < text_.size(); ++i) {
            if (text_[i] == '\'') i = past_text(text_, i) - 1;
            else if (text_.substr(i, 2) == "/*") i = past_space(text_, i) - 1;
            else if (text_[i] == '(' && ++depth > deepest_list) throw NotUnderstood("lists within lists without end");
            else if (text_[i] == ')' && --depth == 0) break;
        }
        i = past_space(text_, i + 1);
    }
    return std::nullopt;
}

const std::vector<std::uint64_t>& ExchangeFile::all(std::string_view keyword) const {
    return listed_.at(keyword);
}

}  // namespace halvo::io
