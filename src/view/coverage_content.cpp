// The solids with the skin that no sheet accounts for, patches numbered as in the list.
#include "core/index.hpp"
#include "view/content.hpp"

#include <fmt/format.h>

namespace halvo::view {
namespace {

constexpr std::size_t most_marks = 30;
constexpr Colour covered{0.66, 0.74, 0.80}, bare = free_edge;

}  // namespace

Content compose_coverage(const Job& job) {
    Content out;
    out.title = fmt::format("{}: coverage of the skin by sheets", job.solids.file);
    if (job.stage != "prove" && job.stage != "solve")
        throw Error(ErrorKind::usage, "the model has no proof yet; run it on to the end, then draw --colour coverage");
    for (std::size_t b = 0; b < job.solids.bodies.size(); ++b) {
        const Body& body = job.solids.bodies[b];
        std::vector<bool> open(body.facets.size(), false);
        for (const UncoveredPatch& p : job.proof.uncovered)
            if (p.body == BodyId(b))
                for (int f : p.facets)
                    if (f >= 0 && ix(f) < open.size()) open[ix(f)] = true;
        bool any = false;
        for (const Sheet& s : job.model.sheets) any = any || s.body == BodyId(b);
        for (const Member& m : job.model.members) any = any || m.body == BodyId(b);
        for (std::size_t i = 0; i < body.facets.size(); ++i) {
            const auto& k = body.facets[i].corners;
            out.scene.triangles.push_back({body.points[ix(k[0])], body.points[ix(k[1])], body.points[ix(k[2])], open[i] ? bare : any ? covered : neutral});
        }
        for (const BodyEdge& e : body.edges)
            if (!e.degenerate) out.scene.lines.push_back({e.curve.sampled(0.2, 12), ink, 0.8, false, false});
    }
    out.legend.push_back({"accounted for", fmt::format("{:.1f} %", 100 * job.proof.coverage), covered, 1, false, true});
    out.legend.push_back(
        {"no sheet", fmt::format("{} {}", job.proof.uncovered.size(), job.proof.uncovered.size() == 1 ? "patch" : "patches"), bare, 1, false, true});
    out.legend.push_back({"not asked for", "", neutral, 1, false, true});
    for (std::size_t i = 0; i < job.proof.uncovered.size() && i < most_marks; ++i) {
        const UncoveredPatch& p = job.proof.uncovered[i];
        out.marks.push_back({p.place, std::to_string(i + 1)});
        out.list.push_back(fmt::format("{}. {:.0f} mm2 ({})", i + 1, p.area, job.solids.bodies[p.body.index()].label));
    }
    if (job.proof.uncovered.empty()) out.captions.push_back("every patch of the skin is a side or a rim of some sheet or member");
    else
        out.captions.push_back(
            fmt::format("largest uncovered patch {:.0f} mm2 at {}", job.proof.uncovered[0].area, place_text(job.proof.uncovered[0].place, job.solids.shift)));
    if (job.proof.thickness.count > 0)
        out.captions.push_back(fmt::format("thickness off by {:.2g} % at worst{}; middle off by {:.2g} mm at worst", 100 * job.proof.thickness.worst,
                                           job.proof.thickness.worst > 1e-6 ? ", at " + place_text(job.proof.thickness.place, job.solids.shift) : "",
                                           job.proof.deviation.worst));
    return out;
}

}  // namespace halvo::view
