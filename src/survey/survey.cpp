#include <halvo/survey.hpp>

#include "body/walls.hpp"
#include "core/keys.hpp"
#include "core/parallel.hpp"
#include "model/shapes.hpp"

#include <fmt/format.h>

namespace halvo {
namespace {

void survey_body(const Assembly& solids, std::size_t i, const SurveyOptions& options, Survey& out, std::vector<Finding>& findings) {
    const Body& body = solids.bodies[i];
    const double tol = solids.tolerance.point;
    WallLimits limits;
    limits.thinnest = options.thinnest, limits.thickest = options.thickest;
    const Build b = classify(body, probe(body, tol), limits, options.slender, options.flat, tol);
    BodySurvey& s = out.bodies[i];
    s.kind = b.kind, s.why = b.why, s.thin_share = b.thin_share;
    s.thinnest = b.thinnest, s.thickest = b.thickest;
    if (b.kind == BodyClass::slender)
        if (const auto& p = b.prism) {
            Section section;
            section.profile = p->profile;
            fill_area_values(section);
            name_shape(section);
            s.length = p->length(), s.depth = p->depth, s.profile = section.shape;
        }
    if (b.kind == BodyClass::open) {
        double free = 0;
        Vec3 place = body.mass.centre;
        std::vector<int> uses(body.edges.size(), 0);
        for (const Face& f : body.faces)
            for (const auto& loop : f.loops)
                for (const Coedge& c : loop) ++uses[c.edge.index()];
        for (std::size_t e = 0; e < uses.size(); ++e)
            if (uses[e] == 1 && !body.edges[e].degenerate) free += body.edges[e].curve.length(), place = body.edges[e].curve.middle();
        findings.push_back({make_key("finding", "open " + body.key, {}), "open body",
                            fmt::format("{}: {:.1f} mm of free edges; its volume is not defined", body.name, free), "close the skin in CAD", place, free,
                            body.name});
    }
}

}  // namespace

Survey survey(const Assembly& solids, const SurveyOptions& options, const Observer& observer) {
    Survey out;
    const std::size_t n = solids.bodies.size();
    out.bodies.resize(n);
    std::vector<std::vector<Finding>> findings(n);
    const std::size_t chunk = std::max<std::size_t>(1, n / 20);
    for (std::size_t first = 0; first < n; first += chunk) {
        observer.tell("survey", static_cast<double>(first) / static_cast<double>(n));
        parallel_for(std::min(chunk, n - first), [&](std::size_t k) { survey_body(solids, first + k, options, out, findings[first + k]); });
    }
    for (auto& list : findings) out.findings.insert(out.findings.end(), list.begin(), list.end());
    observer.tell("survey", 1);
    return out;
}

}  // namespace halvo
