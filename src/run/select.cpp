#include "run/select.hpp"

#include "core/quantity.hpp"
#include "core/wildcard.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

namespace halvo {
namespace {

std::optional<int> whole_number(std::string_view s) {
    int v = 0;
    const auto [end, ec] = std::from_chars(s.data(), s.data() + s.size(), v);
    if (ec != std::errc() || end != s.data() + s.size() || v < 1) return std::nullopt;
    return v;
}

double largest_side(const Body& b) {
    return b.box.isEmpty() ? 0 : b.box.sizes().maxCoeff();
}

struct Entry {
    std::string key, text;
    BodyPattern pattern;
    int hits = 0;
};

std::vector<Entry> entries(const char* key, const std::vector<std::string>& texts) {
    std::vector<Entry> out;
    for (const std::string& t : texts) out.push_back({key, t, BodyPattern(key, t), 0});
    return out;
}

bool any_fits(std::vector<Entry>& list, const Body& body, const BodyClass* known) {
    bool any = false;
    for (Entry& e : list)
        if (e.pattern.fits(body, known)) ++e.hits, any = true;
    return any;
}

void drop(Assembly& assembly, std::size_t i, const std::string& why) {
    const Body& b = assembly.bodies[i];
    assembly.left_out.push_back({b.number, b.name, b.path, why, b.box.isEmpty() ? Vec3(0, 0, 0) : Vec3(b.box.sizes())});
}

void keep_only(Assembly& assembly, const std::vector<bool>& take) {
    std::vector<Body> kept;
    for (std::size_t i = 0; i < take.size(); ++i)
        if (take[i]) kept.push_back(std::move(assembly.bodies[i]));
    if (kept.empty()) throw Error(ErrorKind::input, fmt::format("{}: source.body, source.only and source.skip leave no body; loosen them", assembly.file));
    const bool fewer = kept.size() < take.size();
    assembly.bodies = std::move(kept);
    std::stable_sort(assembly.left_out.begin(), assembly.left_out.end(), [](const LeftOut& a, const LeftOut& b) { return a.number < b.number; });
    if (fewer) finish_assembly(assembly);
}

// Both passes: `classes` is null in the first, which leaves patterns by class alone.
void select(Assembly& assembly, const SourceOptions& options, const std::vector<BodyClass>* classes, std::vector<bool>& take) {
    auto body = entries("source.body", options.body), only = entries("source.only", options.only), skip = entries("source.skip", options.skip);
    const auto waiting = [&](const std::vector<Entry>& list) {
        return !classes && std::any_of(list.begin(), list.end(), [](const Entry& e) { return e.pattern.by_class(); });
    };
    for (std::size_t i = 0; i < assembly.bodies.size(); ++i) {
        const Body& b = assembly.bodies[i];
        const BodyClass* known = classes ? &(*classes)[i] : nullptr;
        std::string why;
        if (!body.empty() && !any_fits(body, b, known) && !waiting(body)) why = "not named by source.body";
        if (!only.empty() && !any_fits(only, b, known) && !waiting(only) && why.empty()) why = "not named by source.only";
        for (Entry& e : skip)
            if (e.pattern.fits(b, known)) {
                ++e.hits;
                if (why.empty()) why = fmt::format("source.skip \"{}\"", e.text);
            }
        take[i] = why.empty();
        if (!why.empty()) drop(assembly, i, why);
    }
    // The pass by class sees only what the first one left; other entries were judged there.
    const auto judged = [&](const Entry& e) { return e.pattern.by_class() == (classes != nullptr); };
    for (const auto* list : {&body, &only})
        for (const Entry& e : *list)
            if (judged(e) && e.hits == 0)
                throw Error(ErrorKind::input, fmt::format("{} = \"{}\": no such body; halvo survey lists the {} bodies of {}", e.key, e.text,
                                                          assembly.bodies.size(), assembly.file));
    for (const Entry& e : skip)
        if (judged(e) && e.hits == 0) assembly.notes.push_back(fmt::format("source.skip = \"{}\" fits no body", e.text));
}

}  // namespace

BodyPattern::BodyPattern(const std::string& key, const std::string& text) : text_(text) {
    const auto bad = [&](const std::string& what) { throw Error(ErrorKind::input, fmt::format("{} = \"{}\": {}", key, text, what)); };
    const auto after = [&](std::string_view head) { return text.substr(head.size() + (text.size() > head.size() && text[head.size()] == ' ' ? 1 : 0)); };
    if (text.empty()) bad("is empty; give a number, a name, class=..., layer=... or size<...");
    if (const auto n = whole_number(text)) {
        kind_ = Kind::number, first_ = last_ = *n;
        return;
    }
    if (const auto dash = text.find('-'); dash != std::string::npos) {
        const auto a = whole_number(std::string_view(text).substr(0, dash)), b = whole_number(std::string_view(text).substr(dash + 1));
        if (a && b) {
            if (*b < *a) bad("runs backwards");
            kind_ = Kind::number, first_ = *a, last_ = *b;
            return;
        }
    }
    if (text.rfind("class=", 0) == 0) {
        kind_ = Kind::of_class, text_ = after("class=");
        bool known = false;
        for (BodyClass c : {BodyClass::thin, BodyClass::slender, BodyClass::bulk, BodyClass::mixed, BodyClass::open}) known = known || text_ == class_name(c);
        if (!known) bad("classes are thin, slender, bulk, mixed and open");
    } else if (text.rfind("layer=", 0) == 0) {
        kind_ = Kind::layer, text_ = after("layer=");
    } else if (text.rfind("size<", 0) == 0 || text.rfind("size>", 0) == 0) {
        kind_ = text[4] == '<' ? Kind::smaller : Kind::larger;
        try {
            size_ = quantity(after("size<"), "mm");
        } catch (const std::invalid_argument& e) {
            bad(e.what());
        }
    }
}

bool BodyPattern::fits(const Body& body, const BodyClass* known) const {
    switch (kind_) {
        case Kind::number:
            return body.number >= first_ && body.number <= last_;
        case Kind::name:
            return body.name == text_ || body.label == text_ || body.path == text_ || wildcard_match(text_, body.name) || wildcard_match(text_, body.path);
        case Kind::of_class:
            return known && text_ == class_name(*known);
        case Kind::layer:
            return wildcard_match(text_, body.layer);
        case Kind::smaller:
            return largest_side(body) < size_;
        case Kind::larger:
            return largest_side(body) > size_;
    }
    return false;
}

void select_bodies(Assembly& assembly, const SourceOptions& options) {
    if (options.body.empty() && options.only.empty() && options.skip.empty()) return;
    std::vector<bool> take(assembly.bodies.size(), true);
    select(assembly, options, nullptr, take);
    keep_only(assembly, take);
}

void select_by_class(Assembly& assembly, Survey& survey, const SourceOptions& options) {
    const auto by_class = [](const std::vector<std::string>& list) {
        return std::any_of(list.begin(), list.end(), [](const std::string& s) { return s.rfind("class=", 0) == 0; });
    };
    if (!by_class(options.body) && !by_class(options.only) && !by_class(options.skip)) return;
    std::vector<BodyClass> classes;
    for (const BodySurvey& s : survey.bodies) classes.push_back(s.kind);
    std::vector<bool> take(assembly.bodies.size(), true);
    select(assembly, options, &classes, take);
    std::vector<BodySurvey> kept;
    std::vector<std::string> gone;
    for (std::size_t i = 0; i < take.size(); ++i) {
        if (take[i]) kept.push_back(std::move(survey.bodies[i]));
        else gone.push_back(assembly.bodies[i].key);
    }
    survey.bodies = std::move(kept);
    std::erase_if(survey.findings, [&](const Finding& f) {
        return std::any_of(gone.begin(), gone.end(), [&](const std::string& k) { return f.body_keys[0] == k || f.body_keys[1] == k; });
    });
    keep_only(assembly, take);
}

}  // namespace halvo
