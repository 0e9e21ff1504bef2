#include "io/step_geometry.hpp"

#include "geom/recognise.hpp"
#include "geom/spline_basis.hpp"
#include "io/text_cursor.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

namespace halvo::io {
namespace {

constexpr int deepest_curve = 8;            // trimmed curves of trimmed curves
constexpr double tangent_turn = 0.02;       // rad between points of a sampled curve: its cubics then hold 1e-9 of its radius
constexpr double rounding = 1e-12;          // of angles worked out from written digits
constexpr double nearly_closed = 1e-7;      // of a turn: the same vertex at both ends
constexpr double touching_axis = 1e-9;      // of a sweep's size: a point on the axis has no angle
constexpr double recognised_within = 1e-6;  // mm; ten times what CAD writes points with

void expect_sane(const Vec3& p) {
    if (!sane(p.x()) || !sane(p.y()) || !sane(p.z())) throw NotUnderstood("a coordinate beyond all size");
}

std::vector<double> written_out(const std::vector<std::int64_t>& times, const std::vector<double>& knots, std::size_t want) {
    std::vector<double> out;
    if (times.size() != knots.size()) throw NotUnderstood("knots and multiplicities differ in number");
    for (std::size_t i = 0; i < knots.size(); ++i) {
        if (times[i] < 1 || times[i] > most_degree + 1 || (i > 0 && knots[i] <= knots[i - 1])) throw NotUnderstood("knots out of order");
        out.insert(out.end(), static_cast<std::size_t>(times[i]), knots[i]);
    }
    if (out.size() != want) throw NotUnderstood("a spline with the wrong number of knots");
    return out;
}

int sound_degree(std::int64_t degree, std::size_t poles) {
    if (degree < 1 || degree > most_degree || poles < static_cast<std::size_t>(degree) + 1) throw NotUnderstood("a spline of a degree that cannot be");
    return static_cast<int>(degree);
}

void expect_domain(const std::vector<double>& knots, int degree, std::size_t poles) {
    if (!(knots[poles] > knots[static_cast<std::size_t>(degree)])) throw NotUnderstood("a spline without length");
}

void expect_weights(const std::vector<double>& w, std::size_t poles) {
    if (w.size() != poles || std::any_of(w.begin(), w.end(), [](double x) { return !(x > 0) || !sane(x); })) throw NotUnderstood("weights of a spline");
}

// ISO 10303-42: knots of curves that give none.
std::vector<double> implied_knots(std::string_view kind, int degree, std::size_t poles) {
    std::vector<double> out;
    const auto d = static_cast<std::size_t>(degree);
    if (kind == "UNIFORM_CURVE") {
        for (std::size_t i = 0; i < poles + d + 1; ++i) out.push_back(static_cast<double>(i) - degree);
        return out;
    }
    const std::size_t spans = kind == "BEZIER_CURVE" ? (poles - 1) / d : poles - d, inner = kind == "BEZIER_CURVE" ? d : 1;
    out.assign(d + 1, 0);
    for (std::size_t i = 1; i < spans; ++i) out.insert(out.end(), inner, static_cast<double>(i));
    out.insert(out.end(), d + 1, static_cast<double>(spans));
    if (out.size() != poles + d + 1) throw NotUnderstood("a spline with the wrong number of points");
    return out;
}

bool all_one(const std::vector<double>& w) {
    return std::all_of(w.begin(), w.end(), [&](double x) { return x == w[0]; });
}

// The least and the greatest of a figure of each point.
template <class Figure>
std::pair<double, double> span(const std::vector<Vec3>& points, const Figure& figure) {
    double lo = std::numeric_limits<double>::max(), hi = -lo;
    for (const Vec3& p : points) {
        const double t = figure(p);
        lo = std::min(lo, t), hi = std::max(hi, t);
    }
    return {lo, hi};
}

SplineCurve as_spline(const StepCurve& c, double lo, double hi) {
    if (const auto* k = std::get_if<LineCurve>(&c)) return spline_line(k->origin + lo * k->direction, k->origin + hi * k->direction);
    if (const auto* k = std::get_if<CircleCurve>(&c)) return spline_arc(k->frame, k->radius, k->radius, 0, 2 * pi);
    if (const auto* k = std::get_if<EllipseCurve>(&c)) return spline_arc(k->frame, k->a, k->b, 0, 2 * pi);
    return std::get<SplineCurve>(c);
}

Curve arc_piece(const std::variant<CircleCurve, EllipseCurve>& c, const Vec3& from, const Vec3& to, bool closed) {
    const Frame& f = std::holds_alternative<CircleCurve>(c) ? std::get<CircleCurve>(c).frame : std::get<EllipseCurve>(c).frame;
    const auto angle = [&](const Vec3& p) {
        const Vec3 q = f.local(p);
        if (const auto* e = std::get_if<EllipseCurve>(&c)) return std::atan2(q.y() / e->b, q.x() / e->a);
        return std::atan2(q.y(), q.x());
    };
    double a = angle(from), b = closed ? a + 2 * pi : angle(to);
    if (std::abs(a) < rounding) b -= closed ? a : 0, a = 0;  // atan2 of a point on the x axis, either side of nothing
    if (a < 0) a += 2 * pi, b += closed ? 2 * pi : 0;
    while (b <= a + nearly_closed) b += 2 * pi;
    while (b > a + 2 * pi + nearly_closed) b -= 2 * pi;
    Curve out;
    if (const auto* e = std::get_if<EllipseCurve>(&c)) out.shape = *e;
    else out.shape = std::get<CircleCurve>(c);
    out.t0 = a, out.t1 = b;
    return out;
}

Curve spline_piece(const SplineCurve& c, const Vec3& from, const Vec3& to, bool closed, double chord) {
    const Vec3 start = c.point(c.first()), end = c.point(c.last());
    const double size = (start - end).norm() + (from - to).norm() + chord, near = 1e-9 * size + recognised_within;
    double a = (from - start).norm() <= near ? c.first() : c.nearest(from), b = (to - end).norm() <= near ? c.last() : c.nearest(to);
    const bool loops = (start - end).norm() <= near;
    if (closed && !loops) throw NotUnderstood("an edge that closes on a curve that does not");
    if (closed && a > c.first() && a < c.last()) throw NotUnderstood("a closed edge that starts within its spline");
    if (closed) a = c.first(), b = c.last();
    if (loops && a == c.last()) a = c.first();
    if (loops && b == c.first()) b = c.last();
    if (!(b > a)) throw NotUnderstood("an edge that runs against its curve");
    std::vector<Vec3> points, tangents;
    c.sample(a, b, tangent_turn, 0.02 * chord, points, tangents);
    return recognise_curve(points, tangents, recognised_within);
}

}  // namespace

Vec3 StepGeometry::point(std::uint64_t id) const {
    Parameters21 p = file_.of(id, "CARTESIAN_POINT");
    p.skip();
    p.open();
    Vec3 out = Vec3::Zero();
    for (int k = 0; k < 3 && !p.closed(); ++k) out[k] = units_.length * p.real();
    expect_sane(out);
    return out;
}

Vec3 StepGeometry::direction(std::uint64_t id) const {
    Parameters21 p = file_.of(id, "DIRECTION");
    p.skip();
    p.open();
    Vec3 out = Vec3::Zero();
    for (int k = 0; k < 3 && !p.closed(); ++k) out[k] = p.real();
    expect_sane(out);
    if (out.norm() < 1e-12) throw NotUnderstood("a direction of no length");
    return out.normalized();
}

Frame StepGeometry::placement(std::uint64_t id) const {
    Parameters21 p = file_.of(id, "AXIS2_PLACEMENT_3D");
    p.skip();
    const Vec3 origin = point(p.reference());
    const auto axis = p.reference_or_none(), ref = p.reference_or_none();
    const Vec3 z = axis ? direction(*axis) : Vec3::UnitZ();
    Vec3 x = ref ? direction(*ref) : Vec3::UnitX();
    if (x.cross(z).norm() < 1e-9) {
        if (ref) throw NotUnderstood("a placement whose directions are one");
        x = Vec3::UnitY();
    }
    x = (x - x.dot(z) * z).normalized();
    return {origin, x, z.cross(x), z};
}

StepCurve StepGeometry::curve(std::uint64_t id, int depth) const {
    if (depth > deepest_curve) throw NotUnderstood("a curve made of itself");
    const std::string_view kind = file_.keyword(id);
    if (kind.empty() || kind.ends_with("B_SPLINE_CURVE_WITH_KNOTS") || kind == "BEZIER_CURVE" || kind == "QUASI_UNIFORM_CURVE" || kind == "UNIFORM_CURVE" ||
        kind == "POLYLINE")
        return spline_curve(id);
    Parameters21 p = file_.of(id);
    p.skip();
    if (kind == "LINE") {
        const Vec3 origin = point(p.reference());
        Parameters21 v = file_.of(p.reference(), "VECTOR");
        v.skip();
        return LineCurve{origin, direction(v.reference())};
    }
    const auto length = [&] {
        const double r = units_.length * p.real();
        if (!(r > 0) || !sane(r)) throw NotUnderstood("a radius that cannot be");
        return r;
    };
    if (kind == "CIRCLE") {
        const Frame f = placement(p.reference());
        return CircleCurve{f, length()};
    }
    if (kind == "ELLIPSE") {
        Frame f = placement(p.reference());
        double a = length(), b = length();
        if (a < b) f = Frame{f.origin, f.y, -f.x, f.z}, std::swap(a, b);
        return EllipseCurve{f, a, b};
    }
    if (kind == "SURFACE_CURVE" || kind == "SEAM_CURVE" || kind == "INTERSECTION_CURVE" || kind == "TRIMMED_CURVE") return curve(p.reference(), depth + 1);
    throw NotUnderstood(fmt::format("a curve of the kind {}", kind));
}

SplineCurve StepGeometry::spline_curve(std::uint64_t id) const {
    SplineCurve out;
    std::string_view kind = file_.keyword(id);
    const auto poles = [&](Parameters21& p) {
        for (const std::uint64_t k : p.references()) out.poles.push_back(point(k));
    };
    if (kind == "POLYLINE") {
        Parameters21 p = file_.of(id);
        p.skip();
        poles(p);
        if (out.poles.size() < 2) throw NotUnderstood("a polyline of one point");
        out.knots.push_back(0);
        for (std::size_t i = 0; i < out.poles.size(); ++i) out.knots.push_back(static_cast<double>(i));
        out.knots.push_back(out.knots.back());
        return out;
    }
    std::optional<Parameters21> base, knots, rational;
    if (kind.empty()) {
        base = file_.part(id, "B_SPLINE_CURVE"), knots = file_.part(id, "B_SPLINE_CURVE_WITH_KNOTS"), rational = file_.part(id, "RATIONAL_B_SPLINE_CURVE");
        if (!base) throw NotUnderstood("a curve of several records that is no spline");
        for (const char* k : {"BEZIER_CURVE", "QUASI_UNIFORM_CURVE", "UNIFORM_CURVE"})
            if (file_.part(id, k)) kind = k;
    } else {
        base = file_.of(id);
        base->skip();
    }
    const std::int64_t degree = base->integer();
    poles(*base);
    out.degree = sound_degree(degree, out.poles.size());
    base->skip(3);
    if (!knots && kind == "B_SPLINE_CURVE_WITH_KNOTS") knots = base;
    if (knots) {
        const auto times = knots->integers();
        out.knots = written_out(times, knots->reals(), out.poles.size() + static_cast<std::size_t>(out.degree) + 1);
    } else {
        out.knots = implied_knots(kind, out.degree, out.poles.size());
    }
    if (rational) {
        out.weights = rational->reals();
        expect_weights(out.weights, out.poles.size());
        if (all_one(out.weights)) out.weights.clear();
    }
    expect_domain(out.knots, out.degree, out.poles.size());
    return out;
}

NurbsSurface StepGeometry::spline_surface(std::uint64_t id) const {
    NurbsSurface out;
    const bool simple = file_.keyword(id) == "B_SPLINE_SURFACE_WITH_KNOTS";
    std::optional<Parameters21> base = simple ? std::optional(file_.of(id)) : file_.part(id, "B_SPLINE_SURFACE");
    std::optional<Parameters21> knots = simple ? std::nullopt : file_.part(id, "B_SPLINE_SURFACE_WITH_KNOTS");
    std::optional<Parameters21> rational = simple ? std::nullopt : file_.part(id, "RATIONAL_B_SPLINE_SURFACE");
    if (!base || (!simple && !knots)) throw NotUnderstood(fmt::format("a surface of the kind {}", file_.keyword(id)));
    if (simple) base->skip();
    const std::int64_t du = base->integer(), dv = base->integer();
    std::size_t rows = 0, columns = 0;
    for (base->open(); !base->closed(); ++rows) {
        const auto row = base->references();
        if (rows > 0 && row.size() != columns) throw NotUnderstood("a net of points with rows of different lengths");
        columns = row.size();
        for (const std::uint64_t k : row) out.poles.push_back(point(k));
    }
    out.degree_u = sound_degree(du, rows), out.degree_v = sound_degree(dv, columns);
    base->skip(4);
    Parameters21& k = simple ? *base : *knots;
    const auto times_u = k.integers(), times_v = k.integers();
    out.knots_u = written_out(times_u, k.reals(), rows + static_cast<std::size_t>(du) + 1);
    out.knots_v = written_out(times_v, k.reals(), columns + static_cast<std::size_t>(dv) + 1);
    if (rational) {
        for (rational->open(); !rational->closed();) {
            const auto row = rational->reals();
            out.weights.insert(out.weights.end(), row.begin(), row.end());
        }
        expect_weights(out.weights, out.poles.size());
        if (all_one(out.weights)) out.weights.clear();
    }
    expect_domain(out.knots_u, out.degree_u, rows), expect_domain(out.knots_v, out.degree_v, columns);
    return out;
}

NurbsSurface StepGeometry::swept_along(std::uint64_t id, const std::vector<Vec3>& points) const {
    Parameters21 p = file_.of(id);
    p.skip();
    const StepCurve c = curve(p.reference());
    Parameters21 v = file_.of(p.reference(), "VECTOR");
    v.skip();
    const Vec3 way = direction(v.reference());
    double lo = 0, hi = 1;
    if (const auto* line = std::get_if<LineCurve>(&c)) {
        const Vec3 across = (line->direction - line->direction.dot(way) * way);
        if (across.norm() < touching_axis) throw NotUnderstood("a line swept along itself");
        std::tie(lo, hi) = span(points, [&](const Vec3& q) { return (q - line->origin).dot(across) / across.squaredNorm(); });
    }
    if (!(hi > lo)) throw NotUnderstood("a swept surface without width");
    const SplineCurve s = as_spline(c, lo, hi);
    // From the lowest point of the face above the highest of the curve to the other way round.
    const auto along = [&](const Vec3& q) { return q.dot(way); };
    const auto [curve_lo, curve_hi] = span(s.poles, along);
    auto [from, to] = span(points, along);
    if (points.empty()) throw NotUnderstood("a swept surface without edges");
    from -= curve_hi, to -= curve_lo;
    if (!(to > from)) throw NotUnderstood("a swept surface without height");
    NurbsSurface out = extruded(s, from * way, (to - from) * way);
    out.knots_v = {from, from, to, to};  // lengths along the way, as the file has them
    return out;
}

NurbsSurface StepGeometry::turned_about(std::uint64_t id, const std::vector<Vec3>& points) const {
    Parameters21 p = file_.of(id);
    p.skip();
    const StepCurve c = curve(p.reference());
    Parameters21 a = file_.of(p.reference(), "AXIS1_PLACEMENT");
    a.skip();
    const Vec3 origin = point(a.reference());
    const auto dir = a.reference_or_none();
    const Vec3 axis = dir ? direction(*dir) : Vec3::UnitZ();
    double lo = 0, hi = 1;
    if (const auto* line = std::get_if<LineCurve>(&c)) {
        const double rise = line->direction.dot(axis);
        const Vec3 foot = line->origin - origin - (line->origin - origin).dot(axis) * axis, across = line->direction - rise * axis;
        std::tie(lo, hi) = span(points, [&](const Vec3& q) {
            const double z = (q - origin).dot(axis), r = (q - origin - z * axis).norm();
            if (std::abs(rise) > touching_axis) return (z - (line->origin - origin).dot(axis)) / rise;
            // A flat disc: where the line is that far from the axis, on the side where its own origin lies.
            const double m = -foot.dot(across) / across.squaredNorm(), d2 = (foot + m * across).squaredNorm(), s = std::sqrt(std::max(0.0, r * r - d2));
            return m < 0 ? m + s : m - s;
        });
    }
    if (!(hi > lo)) throw NotUnderstood("a turned surface without width");
    return revolved(as_spline(c, lo, hi), origin, axis);
}

std::vector<double> StepGeometry::sweep(std::uint64_t id) const {
    const std::string_view kind = file_.keyword(id);
    const bool along = kind == "SURFACE_OF_LINEAR_EXTRUSION";
    if (!along && kind != "SURFACE_OF_REVOLUTION") return {};
    std::vector<double> out{along ? 1.0 : 2.0};
    const auto put = [&](const Vec3& p) { out.insert(out.end(), {p.x(), p.y(), p.z()}); };
    Parameters21 p = file_.of(id);
    p.skip();
    const StepCurve c = curve(p.reference());
    const std::uint64_t how = p.reference();
    Parameters21 q = file_.of(how);
    q.skip();
    if (along) put(direction(q.reference()));
    else {
        put(point(q.reference()));
        if (const auto d = q.reference_or_none()) put(direction(*d));
    }
    if (const auto* line = std::get_if<LineCurve>(&c)) put(line->origin), put(line->direction);
    if (const auto* k = std::get_if<CircleCurve>(&c)) put(k->frame.origin), put(k->frame.x), put(k->frame.z), out.push_back(k->radius);
    if (const auto* k = std::get_if<EllipseCurve>(&c)) put(k->frame.origin), put(k->frame.x), put(k->frame.z), out.insert(out.end(), {k->a, k->b});
    if (const auto* k = std::get_if<SplineCurve>(&c)) {
        out.push_back(k->degree), out.insert(out.end(), k->knots.begin(), k->knots.end()), out.insert(out.end(), k->weights.begin(), k->weights.end());
        for (const Vec3& pole : k->poles) put(pole);
    }
    return out;
}

Surface StepGeometry::kept(NurbsSurface s) {
    std::size_t hash = s.poles.size();
    const auto mix = [&](double v) { hash = (hash ^ std::hash<double>()(v)) * 0x9E3779B97F4A7C15ULL; };
    for (const Vec3& p : s.poles) mix(p.x()), mix(p.y()), mix(p.z());
    for (const double k : s.knots_u) mix(k);
    for (const double k : s.knots_v) mix(k);
    const auto [first, last] = splines_.equal_range(hash);
    for (auto it = first; it != last; ++it) {
        const NurbsSurface& t = *it->second;
        if (t.degree_u == s.degree_u && t.poles == s.poles && t.knots_u == s.knots_u && t.knots_v == s.knots_v && t.weights == s.weights)
            return FreeSurface{it->second};
    }
    auto shared = std::make_shared<const NurbsSurface>(std::move(s));
    splines_.emplace(hash, shared);
    return FreeSurface{shared};
}

Surface StepGeometry::surface(std::uint64_t id, const std::vector<Vec3>& points) {
    const std::string_view kind = file_.keyword(id);
    if (kind.empty() || kind == "B_SPLINE_SURFACE_WITH_KNOTS") return kept(spline_surface(id));
    if (kind == "SURFACE_OF_LINEAR_EXTRUSION") return kept(swept_along(id, points));
    if (kind == "SURFACE_OF_REVOLUTION") return kept(turned_about(id, points));
    Parameters21 p = file_.of(id);
    p.skip();
    const auto length = [&](bool zero) {
        const double r = units_.length * p.real();
        if (!(r > 0 || (zero && r == 0)) || !sane(r)) throw NotUnderstood("a radius that cannot be");
        return r;
    };
    if (kind == "PLANE") return PlaneSurface{placement(p.reference())};
    if (kind == "CYLINDRICAL_SURFACE") {
        const Frame f = placement(p.reference());
        return CylinderSurface{f, length(false)};
    }
    if (kind == "CONICAL_SURFACE") {
        const Frame f = placement(p.reference());
        const double r = length(true), angle = units_.angle * p.real();
        if (!(std::abs(angle) > 1e-9 && std::abs(angle) < pi / 2 - 1e-9)) throw NotUnderstood("a cone of an angle that cannot be");
        return ConeSurface{f, r, angle};
    }
    if (kind == "SPHERICAL_SURFACE") {
        const Frame f = placement(p.reference());
        return SphereSurface{f, length(false)};
    }
    if (kind == "TOROIDAL_SURFACE") {
        const Frame f = placement(p.reference());
        const double major = length(false), minor = length(false);
        if (minor >= major) throw NotUnderstood("a torus that crosses itself");
        return TorusSurface{f, major, minor};
    }
    throw NotUnderstood(fmt::format("a surface of the kind {}", kind));
}

Curve piece_of(const StepCurve& c, const Vec3& from, const Vec3& to, bool closed, double chord) {
    if (const auto* line = std::get_if<LineCurve>(&c)) {
        const auto on = [&](const Vec3& p) { return Vec3(line->origin + (p - line->origin).dot(line->direction) * line->direction); };
        if ((to - from).dot(line->direction) <= 0) throw NotUnderstood("an edge that runs against its line");
        return Curve::segment(on(from), on(to));
    }
    if (const auto* k = std::get_if<CircleCurve>(&c)) return arc_piece(*k, from, to, closed);
    if (const auto* k = std::get_if<EllipseCurve>(&c)) return arc_piece(*k, from, to, closed);
    return spline_piece(std::get<SplineCurve>(c), from, to, closed, chord);
}

}  // namespace halvo::io
