#include "model/frames.hpp"

#include "geom/nearest_curve.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace halvo {
namespace {

Frame by_directions(const FrameRule& r, const Vec3& origin) {
    const Vec3 z = r.z ? Vec3(r.z->normalized()) : Vec3(Vec3::UnitZ());
    if (r.z && r.x) return Frame::with_zx(origin, z, *r.x);
    if (r.x) {  // x alone: z as near to the file's z as can be
        const Vec3 x = r.x->normalized(), hint = std::abs(x.z()) < 0.99 ? Vec3(Vec3::UnitZ()) : Vec3(Vec3::UnitX());
        return Frame::with_zx(origin, (hint - x * x.dot(hint)).normalized(), x);
    }
    const Vec3 hint = std::abs(z.x()) < 0.99 ? Vec3(Vec3::UnitX()) : Vec3(Vec3::UnitY());
    return Frame::with_zx(origin, z, hint);
}

Frame of_circle(const FrameRule& r, const Model& model) {
    const Vec3 p = *r.circle - model.shift;
    // The nearest round edge, and the nearest round sheet, of which the nearer counts.
    Vec3 origin = Vec3::Zero(), z = Vec3::Zero();
    double best = std::numeric_limits<double>::max();
    for (const Edge& e : model.edges)
        if (const auto* circle = std::get_if<CircleCurve>(&e.curve.shape)) {
            const double d = (e.curve.point(e.curve.nearest(p)) - p).norm();
            if (d < best) best = d, origin = circle->frame.origin, z = circle->frame.z;
        }
    for (const Sheet& s : model.sheets)
        if (const auto* cylinder = std::get_if<CylinderSurface>(&s.chart.surface())) {
            const double d = std::abs(s.chart.height(p));
            if (d < 0.5 * best) {
                best = d, z = cylinder->frame.z;
                origin = cylinder->frame.origin + z * z.dot(p - cylinder->frame.origin);
            }
        }
    if (z.isZero())
        throw Error(ErrorKind::stage, fmt::format("[[frame]] \"{}\": the model has no round edge to take it from; give origin and directions", r.name));
    if (r.z && r.z->dot(z) < 0) z = -z;
    const Vec3 hint = r.x ? *r.x : std::abs(z.x()) < 0.99 ? Vec3(Vec3::UnitX()) : Vec3(Vec3::UnitY());
    return Frame::with_zx(origin, z, hint);
}

Frame of_edge(const FrameRule& r, const Model& model) {
    const Vec3 p = *r.edge - model.shift;
    const NearestCurve near = nearest_curve(model.edges.size(), p, [&](std::size_t e) { return &model.edges[e].curve; });
    if (near.number < 0) throw Error(ErrorKind::stage, fmt::format("[[frame]] \"{}\": the model has no edge to take it from", r.name));
    const Curve& c = model.edges[static_cast<std::size_t>(near.number)].curve;
    FrameRule along = r;
    along.x = Vec3((c.end() - c.start()).normalized());
    if (c.end() == c.start()) along.x = c.derivative(c.t0).normalized();
    return by_directions(along, c.start());
}

}  // namespace

Eigen::Matrix3d LocalFrame::axes(const Vec3& p) const {
    Eigen::Matrix3d m;
    m << frame.x, frame.y, frame.z;
    if (kind == FrameRule::Kind::cartesian) return m;
    const Vec3 q = frame.local(p);
    const double r = std::hypot(q.x(), q.y()), all = q.norm();
    const Vec3 out = r > 0 ? Vec3((q.x() * frame.x + q.y() * frame.y) / r) : frame.x;
    const Vec3 round = frame.z.cross(out);
    if (kind == FrameRule::Kind::cylindrical) {
        m << out, round, frame.z;
        return m;
    }
    const Vec3 outward = all > 0 ? Vec3((p - frame.origin) / all) : frame.z;
    m << outward, round.cross(outward), round;
    return m;
}

LocalFrame frame_named(const std::string& name, const std::vector<FrameRule>& rules, const Model& model) {
    LocalFrame out;
    if (name.empty()) {
        out.frame.origin = -model.shift;
        return out;
    }
    const auto it = std::find_if(rules.begin(), rules.end(), [&](const FrameRule& r) { return r.name == name; });
    if (it == rules.end()) throw Error(ErrorKind::stage, fmt::format("no [[frame]] is named \"{}\"", name));
    out.kind = it->kind;
    out.frame = it->circle ? of_circle(*it, model) : it->edge ? of_edge(*it, model) : by_directions(*it, it->origin - model.shift);
    return out;
}

}  // namespace halvo
