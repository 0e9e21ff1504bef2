#include "model/things.hpp"

#include <cmath>

namespace halvo {
namespace {

double place_value(std::string_view word, const Thing& t, const LocalFrame& f) {
    const Vec3 q = f.frame.local(t.at);
    const double ring = std::hypot(q.x(), q.y());
    if (word == "x") return q.x();
    if (word == "y") return q.y();
    if (word == "z") return q.z();
    if (word == "r") return f.kind == FrameRule::Kind::spherical ? q.norm() : ring;
    if (word == "tilt") return std::atan2(ring, q.z()) * 180 / pi;
    const double angle = std::atan2(q.y(), q.x()) * 180 / pi;
    return angle < 0 ? angle + 360 : angle;
}

double normal_value(std::string_view word, const Thing& t, const LocalFrame& f) {
    if (t.normal.isZero(0)) return std::numeric_limits<double>::quiet_NaN();
    if (word == "nx") return t.normal.dot(f.frame.x);
    if (word == "ny") return t.normal.dot(f.frame.y);
    if (word == "nz") return t.normal.dot(f.frame.z);
    LocalFrame round = f;
    if (round.kind == FrameRule::Kind::cartesian) round.kind = FrameRule::Kind::cylindrical;
    return t.normal.dot(round.axes(t.at).col(0));
}

}  // namespace

ExpressionValue value_of(std::string_view word, const Thing& t, const LocalFrame& f) {
    if (word == "thickness") return t.thickness;
    if (word == "radius") return t.radius;
    if (word == "area") return t.area;
    if (word == "length") return t.length;
    if (word == "sheets") return static_cast<double>(t.sheets);
    if (word == "free") return t.sheets == 1;
    if (word == "shared") return t.sheets > 1;
    if (word == "round") return t.round;
    if (word == "kind") return t.kind;
    if (word == "body") return t.body ? t.body->name : std::string();
    if (word == "path") return t.body ? t.body->path : std::string();
    if (word == "layer") return t.body ? t.body->layer : std::string();
    if (word == "wall") return t.wall;
    if (word == "sheet") return t.sheet;
    if (word == "member") return t.member;
    if (word == "surface") return t.surface;
    if (word == "section") return t.section;
    return word[0] == 'n' ? normal_value(word, t, f) : place_value(word, t, f);
}

Thing thing_of(const Model& model, SheetId id) {
    const Sheet& s = model.sheets[id.index()];
    Thing t;
    t.kind = "sheet", t.sheet = s.key, t.wall = s.wall, t.surface = surface_name(s.chart.surface());
    t.thickness = s.thickness.mean, t.area = s.area();
    if (s.body && s.body.index() < model.bodies.size()) t.body = &model.bodies[s.body.index()];
    if (const auto* c = std::get_if<CylinderSurface>(&s.chart.surface())) t.radius = c->radius, t.round = true;
    if (const auto* c = std::get_if<SphereSurface>(&s.chart.surface())) t.radius = c->radius, t.round = true;
    if (const auto* c = std::get_if<TorusSurface>(&s.chart.surface())) t.radius = c->minor, t.round = true;
    return t;
}

Thing thing_of(const Model& model, MemberId id) {
    const Member& m = model.members[id.index()];
    Thing t;
    t.kind = "member", t.member = m.key, t.length = model.length(m);
    if (m.section) t.section = model.sections[m.section.index()].shape, t.area = model.sections[m.section.index()].area;
    if (m.body && m.body.index() < model.bodies.size()) t.body = &model.bodies[m.body.index()];
    return t;
}

Thing thing_of(const Model& model, EdgeId id, int sides) {
    const Edge& e = model.edges[id.index()];
    Thing t;
    t.kind = "edge", t.length = e.curve.length(), t.sheets = sides;
    if (const auto* c = std::get_if<CircleCurve>(&e.curve.shape)) t.radius = c->radius, t.round = true;
    return t;
}

}  // namespace halvo
