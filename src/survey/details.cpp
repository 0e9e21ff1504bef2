// Details that a structural model does without: small holes, small rounds, lettering; and walls outside the wanted range.
#include "body/features.hpp"
#include "core/index.hpp"
#include "survey/finders.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>

namespace halvo {
namespace {

Vec3 middle_of(const Body& b, const Face& f) {
    Box3 box;
    for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i)
        for (int c : b.facets[i].corners) box.extend(b.points[ix(c)]);
    return box.isEmpty() ? b.mass.centre : Vec3(box.center());
}

// Thickness of the walls next to a face: what a hole or round there is measured against. Nothing is small in a bulk body
// unless the plan says a length.
class WallsBeside {
public:
    explicit WallsBeside(const Surveyed& s) : s_(s), thickness_(s.body.faces.size(), 0) {
        for (const SkinPair& q : s.skin.pairs)
            if (q.wall)
                for (const int f : {q.a, q.b}) thickness_[ix(f)] = std::max(thickness_[ix(f)], q.mean);
    }
    [[nodiscard]] double at(int face) const {
        double t = 0;
        for (const auto& l : s_.skin.neighbours.of[ix(face)]) t = std::max(t, thickness_[ix(l.other)]);
        return t;
    }

private:
    const Surveyed& s_;
    std::vector<double> thickness_;
};

// One finding for all features of a kind that are small, at the smallest of them.
void say_small(const Surveyed& s, const std::vector<Feature>& features, FindingKind kind, const char* one, const char* several, const char* measure,
               const char* advice, const std::function<bool(const Feature&)>& small, Findings& out) {
    std::size_t count = 0;
    const Feature* first = nullptr;
    double largest = 0;
    for (const Feature& f : features) {
        if (!small(f)) continue;
        ++count, largest = std::max(largest, f.size);
        if (!first || f.size < first->size) first = &f;
    }
    if (!first) return;
    out.push_back(s.finding(kind,
                            fmt::format("{} {} of {:.3g}{} mm {}", count, count == 1 ? one : several, first->size,
                                        largest > first->size * 1.001 ? fmt::format(" to {:.3g}", largest) : "", measure),
                            advice, middle_of(s.body, s.body.faces[ix(first->faces[0])]), first->size, first->faces[0],
                            {static_cast<double>(count), first->size}));
}

void find_holes(const Surveyed& s, const std::vector<Feature>& features, Findings& out) {
    if (s.summary.kind == BodyClass::slender) return;  // part of the profile
    const WallsBeside walls(s);
    say_small(
        s, features, FindingKind::small_holes, "hole", "holes", "diameter", "strip.holes takes away those up to its diameter",
        [&](const Feature& f) {
            return f.kind == FeatureKind::hole && !f.axis.isZero() && f.size <= s.options.holes.value_or(walls.at(f.faces[0])) * (1 + 1e-9);
        },
        out);
}

void find_rounds(const Surveyed& s, Findings& out) {
    if (s.summary.kind == BodyClass::slender) return;  // part of the profile
    const double limit = s.options.rounds.value_or(s.summary.bands.empty() ? 0 : 0.5 * s.wall());
    const auto chains = find_round_chains({s.body, s.skin.neighbours, s.tol}, limit);
    say_small(
        s, chains, FindingKind::small_rounds, "rounded edge", "rounded edges", "radius", "strip.rounds takes away those up to its radius",
        [&](const Feature&) { return true; }, out);
}

void find_lettering(const Surveyed& s, const std::vector<Feature>& features, Findings& out) {
    const double limit = s.options.raised.value_or(s.summary.bands.empty() ? 0 : 0.5 * s.wall());
    std::map<int, std::vector<const Feature*>> on_face;
    for (const Feature& f : features)
        if ((f.kind == FeatureKind::raised || f.kind == FeatureKind::sunk) && f.size <= limit * (1 + 1e-9) && f.size > 10 * s.tol)
            on_face[f.host].push_back(&f);
    for (const auto& [face, list] : on_face) {
        const Feature* highest = list[0];
        std::size_t raised = 0;
        for (const Feature* f : list) {
            raised += f->kind == FeatureKind::raised ? 1 : 0;
            if (f->size > highest->size) highest = f;
        }
        const char* kind = raised == list.size() ? "raised" : raised == 0 ? "sunk" : "raised and sunk";
        out.push_back(
            s.finding(FindingKind::lettering,
                      fmt::format("{} {} {} on one face, up to {:.3g} mm", list.size(), kind, list.size() == 1 ? "feature" : "features", highest->size),
                      "strip.raised takes away what is up to its height", middle_of(s.body, s.body.faces[ix(highest->faces[0])]), highest->size,
                      highest->faces[0], {static_cast<double>(list.size()), highest->size}));
    }
}

void find_outside_range(const Surveyed& s, Findings& out) {
    for (const bool thin : {true, false}) {
        double area = 0, extreme = 0;
        const Probe* at = nullptr;
        for (std::size_t i = 0; i < s.skin.probes.size(); ++i) {
            const Probe& p = s.skin.probes[i];
            if (s.skin.kind[i] != SkinKind::wall || !s.skin.agrees(i)) continue;
            const bool outside = thin ? p.distance < s.options.thinnest * (1 - 1e-9) : p.distance > s.options.thickest * (1 + 1e-9);
            if (!outside) continue;
            area += 0.5 * p.weight;
            if (!at || (thin ? p.distance < extreme : p.distance > extreme)) extreme = p.distance, at = &p;
        }
        if (!at) continue;
        out.push_back(s.finding(thin ? FindingKind::wall_too_thin : FindingKind::wall_too_thick,
                                fmt::format("{:.1f} mm2 of wall {} than {:.3g} mm, down to {:.3g} mm", area, thin ? "thinner" : "thicker",
                                            thin ? s.options.thinnest : s.options.thickest, extreme),
                                thin ? "lower survey.thinnest, or leave it out" : "raise survey.thickest, or model it as a solid",
                                at->point - 0.5 * at->distance * at->normal, extreme, at->face, {std::sqrt(area), extreme}));
        if (!thin) {
            std::string& about = out.back().about;
            about.replace(about.rfind("down to"), 7, "up to");
        }
    }
}

}  // namespace

void find_details(const Surveyed& s, Findings& out) {
    const auto features = find_islands({s.body, s.skin.neighbours, s.tol});
    find_holes(s, features, out);
    find_rounds(s, out);
    find_lettering(s, features, out);
    find_outside_range(s, out);
}

}  // namespace halvo
