// The solids as they were read, with the faces of features: what goes, what could, what stays; numbered as in the list.
#include "core/index.hpp"
#include "view/content.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>

namespace halvo::view {
namespace {

constexpr std::size_t most_features_marked = 30;
constexpr Colour body_skin{0.86, 0.87, 0.88}, gone_skin = four_sheets, offered_skin = three_sheets, kept_skin = free_edge, other_skin{0.60, 0.66, 0.62};

enum class Fate { gone, offered, stays, other };

Fate fate_of(const Feature& f) {
    if (f.state == EntryState::applied) return Fate::gone;
    if (f.state == EntryState::refused) return Fate::stays;
    return f.offered ? Fate::offered : Fate::other;
}

}  // namespace

Content compose_features(const Job& job) {
    Content out;
    const Assembly& solids = solids_before_strip(job);
    out.title = fmt::format("{}: features", solids.file);
    if (job.stage == "read" || job.stage == "survey")
        throw Error(ErrorKind::usage, "the model has not been through strip yet; run it on, then draw --colour features");
    constexpr std::array<Colour, 4> colours{gone_skin, offered_skin, kept_skin, other_skin};
    constexpr std::array<const char*, 4> names{"taken away", "proposed", "kept by the plan", "others"};
    std::map<std::pair<BodyId, int>, Fate> of_face;
    std::array<std::size_t, 4> count{};
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < job.strip.features.size(); ++i) {
        const Feature& f = job.strip.features[i];
        for (int k : f.faces) of_face[{f.body, k}] = fate_of(f);
        ++count[static_cast<std::size_t>(fate_of(f))];
        order.push_back(i);
    }
    for (std::size_t b = 0; b < solids.bodies.size(); ++b) {
        const Body& body = solids.bodies[b];
        for (const Facet& f : body.facets) {
            const auto it = of_face.find({BodyId(b), f.face});
            const Colour c = it == of_face.end() ? body_skin : colours[static_cast<std::size_t>(it->second)];
            out.scene.triangles.push_back({body.points[ix(f.corners[0])], body.points[ix(f.corners[1])], body.points[ix(f.corners[2])], c});
        }
        for (const BodyEdge& e : body.edges)
            if (!e.degenerate) out.scene.lines.push_back({e.curve.sampled(0.2, 12), ink, 0.8, false, false});
    }
    for (std::size_t k = 0; k < names.size(); ++k)
        if (count[k] > 0) out.legend.push_back({names[k], std::to_string(count[k]), colours[k], 1, false, true});
    // What is decided or asked comes first.
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return fate_of(job.strip.features[a]) < fate_of(job.strip.features[b]); });
    double gained = 0;
    for (std::size_t k = 0; k < order.size(); ++k) {
        const Feature& f = job.strip.features[order[k]];
        if (fate_of(f) == Fate::gone) gained += f.volume;
        if (k < most_features_marked) out.marks.push_back({f.place, std::to_string(order[k] + 1)});
        out.list.push_back(fmt::format("{}. {} {:.3g} mm", order[k] + 1, feature_name(f.kind), f.size));
    }
    out.captions.push_back(fmt::format("{} features; the volume changes by {:+.4g} mm3 with what is taken away", job.strip.features.size(), gained));
    return out;
}

}  // namespace halvo::view
