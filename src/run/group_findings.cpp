#include <halvo/run.hpp>

#include "core/index.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <map>
#include <set>

namespace halvo {
namespace {

// A line without its figures, ids and numbers of bodies: equal parts say the same.
std::string pattern_of(const std::string& about) {
    std::string out;
    for (std::size_t i = 0; i < about.size(); ++i) {
        if (about.compare(i, 7, " (body ") == 0) {
            i = std::min(about.find(')', i), about.size() - 1);
            continue;
        }
        if (std::isdigit(static_cast<unsigned char>(about[i])) != 0) {
            if (out.empty() || out.back() != '#') out += '#';
        } else if (about[i] != '.' || out.empty() || out.back() != '#') {
            out += about[i];
        }
    }
    return out;
}

// Measures of one mesh are one cause, wherever their worst elements are.
bool one_cause(const Finding& f) {
    return f.kind == FindingKind::mesh_outside_its_limits;
}

std::string said_of(const FindingGroup& g, bool one_place) {
    if (g.findings.size() == 1) return g.findings[0].about;
    if (one_cause(g.findings[0])) return fmt::format("{} measures, the first: {}", g.findings.size(), g.findings[0].about);
    if (one_place) {
        std::vector<std::string> lines;
        for (const Finding& f : g.findings) lines.push_back(f.about);
        return fmt::format("{}", fmt::join(lines, "; "));
    }
    return fmt::format("{} times alike, the largest: {}", g.findings.size(), g.findings[0].about);
}

}  // namespace

std::vector<FindingGroup> grouped(const std::vector<Finding>& findings) {
    struct Open {
        FindingGroup group;
        bool one_place = false;
    };
    std::vector<Open> open;
    std::map<std::pair<FindingKind, std::string>, std::size_t> by_cause;
    for (const Finding& f : findings) {
        // One place first: several measures of one bad element, or the same defect seen twice.
        const auto here = std::find_if(open.begin(), open.end(), [&](const Open& o) {
            const Finding& k = o.group.findings[0];
            return !one_cause(f) && k.kind == f.kind && k.place == f.place && k.place != Vec3::Zero() && (o.one_place || o.group.findings.size() == 1);
        });
        if (here != open.end()) {
            here->group.findings.push_back(f), here->one_place = true;
            continue;
        }
        const auto [it, is_new] = by_cause.try_emplace({f.kind, one_cause(f) ? "" : pattern_of(f.about)}, open.size());
        if (is_new || open[it->second].one_place) open.push_back({{{f}, {}}, false});
        else open[it->second].group.findings.push_back(f);
    }
    std::vector<FindingGroup> out;
    for (Open& o : open) {
        const auto larger = [](const Finding& a, const Finding& b) { return a.size > b.size * (1 + 1e-9); };
        if (!o.one_place) std::stable_sort(o.group.findings.begin(), o.group.findings.end(), larger);
        o.group.about = said_of(o.group, o.one_place);
        out.push_back(std::move(o.group));
    }
    std::stable_sort(out.begin(), out.end(), [](const FindingGroup& a, const FindingGroup& b) { return a.findings[0].size > b.findings[0].size * (1 + 1e-9); });
    return out;
}

}  // namespace halvo
