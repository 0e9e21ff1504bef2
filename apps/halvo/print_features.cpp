// What strip found, took away and proposes.
#include "print.hpp"
#include "text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

using namespace halvo;

namespace {

constexpr double nodes_of_hole = 16;  // two rows of eight round it, as the mesh gives small ones

const char* names_of(FeatureKind k) {
    constexpr std::array<const char*, 6> names{"holes", "rounds", "chamfers", "raised places", "sunk places", "slivers"};
    return names[static_cast<std::size_t>(k)];
}

const char* key_of(FeatureKind k) {
    constexpr std::array<const char*, 6> keys{"holes", "rounds", "chamfers", "raised", "raised", "slivers"};
    return keys[static_cast<std::size_t>(k)];
}

std::string counted(FeatureKind k, std::size_t n) {
    constexpr std::array<const char*, 6> one{"hole", "round", "chamfer", "raised place", "sunk place", "sliver"};
    return fmt::format("{} {}", n, n == 1 ? one[static_cast<std::size_t>(k)] : names_of(k));
}

std::string state_of(const Feature& f) {
    if (f.state == EntryState::applied) return "gone";
    if (f.state == EntryState::refused) return "kept";
    return f.offered ? "proposed" : "";
}

struct Sum {
    std::size_t count = 0;
    double largest = 0, volume = 0;
};

}  // namespace

void list_features(const Job& job) {
    if (job.strip.features.empty()) {
        fmt::print("  (none)\n");
        return;
    }
    Table t({"#", "id", "kind", "form", "size mm", "family", "alike", "body", "at mm", "volume mm3", "state", "about"});
    const Assembly& solids = solids_before_strip(job);
    int n = 0;
    for (const Feature& f : job.strip.features) {
        std::string about = f.pattern;
        for (const std::string& more : {f.bolt, f.why})
            if (!more.empty()) about += (about.empty() ? "" : "; ") + more;
        t.row({std::to_string(++n), f.key, feature_name(f.kind), f.form, number(f.size), std::to_string(f.family), std::to_string(f.alike),
               solids.bodies[f.body.index()].label, at(f.place, job.solids.shift), fmt::format("{:+.4g}", f.volume), state_of(f), about});
    }
    t.print();
}

std::string strip_text(const Job& job) {
    std::string out;
    const auto add = [&](const std::string& text) { out += (out.empty() ? "" : "; ") + text; };
    std::map<FeatureKind, Sum> gone, offered;
    std::size_t kept = 0, stay = 0;
    double volume = 0, solid = 0;
    for (const Feature& f : job.strip.features) {
        const bool could = f.offered && f.state == EntryState::proposed;
        if (f.state == EntryState::refused) ++kept;
        if (f.state != EntryState::applied && !could) continue;
        Sum& s = (f.state == EntryState::applied ? gone : offered)[f.kind];
        ++s.count, s.largest = std::max(s.largest, f.size), s.volume += f.volume;
    }
    for (const Finding& f : job.strip.findings) stay += f.kind == FindingKind::feature_stays ? 1 : 0;
    for (const LedgerEntry& e : job.strip.ledger)
        if (e.kind == EntryKind::cut) add(e.about);
    if (!gone.empty()) {
        std::string text;
        for (const auto& [k, s] : gone) text += fmt::format("{}{} up to {:.4g} mm", text.empty() ? "" : ", ", counted(k, s.count), s.largest);
        for (const auto& [k, s] : gone) volume += s.volume;
        bool cut = false;
        for (const LedgerEntry& e : job.strip.ledger) cut = cut || e.kind == EntryKind::cut;
        for (const Body& b : solids_before_strip(job).bodies) solid += b.mass.volume;
        if (job.before_strip && !cut) {
            volume = -solid;
            for (const Body& b : job.solids.bodies) volume += b.mass.volume;
        }
        add(fmt::format("{} taken away: volume {:+.4g} mm3, {:+.3f} %", text, volume, 100 * volume / solid));
    }
    if (kept + stay > 0) add(fmt::format("{} kept by the plan, {} could not go", kept, stay));
    for (const auto& [k, s] : offered) {
        const std::string nodes = k == FeatureKind::hole ? fmt::format(", about {:.0f} nodes", nodes_of_hole * static_cast<double>(s.count)) : "";
        add(fmt::format("could go: {} up to {:.4g} mm, volume {:+.4g} mm3{}, with strip.{} = \"{:.4g} mm\"", counted(k, s.count), s.largest, s.volume, nodes,
                        key_of(k), std::ceil(s.largest * 100) / 100));
    }
    return out;
}

std::string features_text(const Job& job) {
    std::map<FeatureKind, std::size_t> kinds;
    std::set<int> families;
    for (const Feature& f : job.strip.features) ++kinds[f.kind], families.insert(f.family);
    std::string text;
    for (const auto& [k, n] : kinds) text += fmt::format("{}{}", text.empty() ? "" : ", ", counted(k, n));
    return text.empty() ? "none" : fmt::format("{}, of {} kinds and sizes", text, families.size());
}

void print_features(const Job& job) {
    // One line a family, the most first.
    std::map<int, std::vector<const Feature*>> families;
    for (const Feature& f : job.strip.features) families[f.family].push_back(&f);
    if (families.empty()) return;
    fmt::print("\nfeatures: {} of {} kinds and sizes\n", job.strip.features.size(), families.size());
    std::vector<const std::vector<const Feature*>*> order;
    for (const auto& [n, list] : families) order.push_back(&list);
    std::stable_sort(order.begin(), order.end(), [](const auto* a, const auto* b) { return a->size() > b->size(); });
    constexpr std::size_t most = 12;
    Table t({"count", "kind", "form", "size mm", "volume mm3", "first id", "at mm", "about"});
    for (std::size_t i = 0; i < std::min(most, order.size()); ++i) {
        const Feature& f = *order[i]->front();
        double volume = 0;
        std::string about;
        for (const Feature* k : *order[i]) {
            volume += k->volume;
            for (const std::string* text : {&k->pattern, &k->bolt})
                if (!text->empty() && about.find(*text) == std::string::npos && about.size() < 80) about += (about.empty() ? "" : "; ") + *text;
        }
        if (f.offered) about += about.empty() ? "small" : "; small";
        t.row({std::to_string(order[i]->size()), feature_name(f.kind), f.form, number(f.size), fmt::format("{:+.4g}", volume), f.key,
               at(f.place, job.solids.shift), about});
    }
    t.print();
    if (order.size() > most) fmt::print("  and {} more kinds and sizes; halvo run, then halvo list MODEL features\n", order.size() - most);
}
