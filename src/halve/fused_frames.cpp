#include "halve/fused_frames.hpp"

#include "core/index.hpp"
#include "core/keys.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace halvo {
namespace {

constexpr double mostly = 0.6;         // of a body's sheets, by area, are walls of bars
constexpr std::size_t least_bars = 3;  // in one solid: two may be a bent bar or a tee

struct Bar {
    Vec3 along = Vec3::Zero();
    double length = 0, across = 0, area = 0;
};

// The sheet as the wall of a bar: how long it is, along what, and how wide; of a round one its diameter.
Bar bar_of(const Model& model, const Sheet& s) {
    std::vector<Vec3> points;
    for (const Region& r : s.regions)
        for (const auto& loop : r.loops)
            for (const EdgeUse& u : loop)
                for (const Vec3& p : model.edges[u.edge.index()].curve.sampled(1, 8)) points.push_back(p);
    Bar out;
    out.area = s.area();
    if (points.empty()) return out;
    const auto* round = std::get_if<CylinderSurface>(&s.chart.surface());
    if (round) out.along = round->frame.z;
    else {
        // Along its longest straight edge.
        double longest = 0;
        for (const Region& r : s.regions)
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) {
                    const Curve& c = model.edges[u.edge.index()].curve;
                    if (c.is_line() && c.length() > longest) longest = c.length(), out.along = (c.end() - c.start()).normalized();
                }
        if (longest == 0) return out;
    }
    double low = std::numeric_limits<double>::max(), high = -low;
    for (const Vec3& p : points) low = std::min(low, p.dot(out.along)), high = std::max(high, p.dot(out.along));
    out.length = high - low;
    out.across = round ? 2 * round->radius : out.area / std::max(out.length, 1e-12);
    return out;
}

}  // namespace

void note_fused_frames(Model& model, const Assembly& solids, double slender) {
    std::map<BodyId, std::vector<Bar>> bars;
    std::map<BodyId, double> area;
    for (const Sheet& s : model.sheets) {
        if (!s.body) continue;
        const Bar b = bar_of(model, s);
        area[s.body] += b.area;
        if (b.across > 0 && b.length >= 0.5 * slender * b.across) bars[s.body].push_back(b);
    }
    for (const auto& [body, list] : bars) {
        double sum = 0;
        std::vector<Vec3> ways;
        for (const Bar& b : list) {
            sum += b.area;
            if (std::ranges::none_of(ways, [&](const Vec3& w) { return w.cross(b.along).norm() < 0.1; })) ways.push_back(b.along);
        }
        if (list.size() < least_bars || ways.size() < 2 || sum < mostly * area[body]) continue;
        const Body& b = solids.bodies[ix(body)];
        model.findings.push_back(
            {own_key(make_key("finding", "frame in one body", {}), b.key), FindingKind::frame_in_one_body,
             fmt::format("{}: bars that run together in one solid, in {} directions; they are {} sheets, not members", b.label, ways.size(), list.size()),
             "export the bars as bodies of their own to have them as members; halve.slender = \"shells\" says that shells are meant", b.mass.centre,
             b.box.diagonal().norm(), b.label});
    }
}

}  // namespace halvo
