// Bodies that carry one profile along straight pieces and arcs: bent tubes, hooks, hoops.
#include "body/prism.hpp"
#include "body/section.hpp"
#include "core/index.hpp"
#include "geom/outline.hpp"

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr std::size_t most_pieces = 400, most_ends = 6;  // of a bent bar: bounds the time

// One motion of the profile: straight ahead, or round an axis.
struct Motion {
    bool straight = true;
    Vec3 centre = Vec3::Zero(), axis = Vec3::Zero();  // of arcs; the axis turned so that the profile moves ahead
};

const Frame* turning_frame(const Surface& s) {
    if (const auto* c = std::get_if<CylinderSurface>(&s)) return &c->frame;
    if (const auto* c = std::get_if<ConeSurface>(&s)) return &c->frame;
    if (const auto* c = std::get_if<TorusSurface>(&s)) return &c->frame;
    return nullptr;
}

bool round(const Surface& s, const Vec3& centre, const Vec3& axis, double tol) {
    if (const auto* p = std::get_if<PlaneSurface>(&s)) return p->frame.z.cross(axis).norm() < swept_angle;
    const Frame* f = turning_frame(s);
    return f && f->z.cross(axis).norm() < swept_angle && (f->origin - centre).cross(axis).norm() <= tol;
}

class Walker {
public:
    Walker(const Body& body, double tol) : body_(body), tol_(tol), boxes_(body) {}

    std::optional<Prism> from(const Face& end) {
        const auto* plane = std::get_if<PlaneSurface>(&end.surface);
        const Vec3 out = end.reversed ? Vec3(-plane->frame.z) : plane->frame.z;
        frame_ = Frame::with_z(face_centroid(body_, end), -out);
        if (!measure(end)) return std::nullopt;
        walk();
        if (!settle_end()) return std::nullopt;
        if (turns_ == 0 || std::abs(1 - good_ / std::max(axis().length(), 1e-300)) > 0.4) return std::nullopt;
        return finished();
    }

private:
    Axis axis() const { return axis_from(frame_); }

    // The pieces walked, for the line that starts at a frame: arcs turn about the same axes, each at the line's own radius.
    Axis axis_from(const Frame& start) const {
        std::vector<Curve> pieces;
        Frame f = start;
        for (const auto& [motion, amount] : pieces_) {
            if (motion.straight) {
                pieces.push_back(Curve::segment(f.origin, f.origin + amount * f.z));
            } else {
                const Vec3 c = motion.centre + motion.axis * motion.axis.dot(f.origin - motion.centre);
                const Vec3 x = f.origin - c;
                pieces.push_back({CircleCurve{Frame{c, x.normalized(), motion.axis.cross(x).normalized(), motion.axis}, x.norm()}, 0, amount});
            }
            f = Axis(f, {pieces.back()}).frame(pieces.back().length());
        }
        return Axis(start, std::move(pieces));
    }

    struct Look {
        double area = 0;
        Vec2 centroid = Vec2::Zero();
        std::vector<std::vector<SectionPiece>> loops;
        std::set<int> faces;
    };

    // The section at a frame: the outer loop next to its origin, with what is cut out of it.
    std::optional<Look> look(const Frame& f) const {
        PlaneSection s = cut(body_, f, tol_, &boxes_);
        const auto polygons = section_polygons(s, f, 1e-4 * depth_);
        const int best = outline_at_origin(polygons);
        if (best < 0) return std::nullopt;
        Box2 box;
        for (const Vec2& p : polygons[ix(best)]) box.extend(p);
        if (depth_ > 0 && box.center().norm() > 1.5 * depth_) return std::nullopt;
        Look out;
        Vec2 first = Vec2::Zero();
        for (std::size_t i = 0; i < polygons.size(); ++i) {
            const double a = polygon_area(polygons[i]);
            if (static_cast<int>(i) != best && (a > 0 || !inside({polygons[ix(best)]}, polygons[i][0]))) continue;
            out.area += a;
            for (std::size_t k = 0; k < polygons[i].size(); ++k) first += moment_under(polygons[i][k], polygons[i][(k + 1) % polygons[i].size()]);
            for (const SectionPiece& p : s.loops[i]) out.faces.insert(p.face);
            out.loops.push_back(std::move(s.loops[i]));
        }
        if (out.area <= 0) return std::nullopt;
        out.centroid = first / out.area;
        return out;
    }

    bool measure(const Face& end) {
        Box3 box;
        for (std::size_t i = end.first_facet; i < end.first_facet + end.facet_count; ++i)
            for (int c : body_.facets[i].corners) box.extend(body_.points[ix(c)]);
        depth_ = box.diagonal().norm();
        ahead_ = 1e-2 * depth_;
        Frame f = frame_;
        f.origin += ahead_ * f.z;
        const auto first = look(f);
        if (!first || std::abs(first->area - end.area) > same_area * end.area) return false;
        area_ = first->area;
        return true;
    }

    // What the faces of a section let the profile do next.
    std::optional<Motion> motion(const Frame& f, const std::set<int>& faces) const {
        const auto surface = [&](int k) -> const Surface& { return body_.faces[ix(k)].surface; };
        Motion m;
        if (std::all_of(faces.begin(), faces.end(), [&](int k) { return runs_along(surface(k), f.z); })) return m;
        m.straight = false;
        for (int k : faces) {
            const Frame* t = turning_frame(surface(k));
            if (!t || (runs_along(surface(k), f.z) && !std::holds_alternative<TorusSurface>(surface(k)))) continue;
            m.centre = t->origin, m.axis = t->z;
            break;
        }
        if (m.axis == Vec3::Zero() || std::abs(m.axis.dot(f.z)) > 1e-3) return std::nullopt;
        const double near = 1e-4 * depth_;
        if (std::abs((m.centre - f.origin).dot(f.z)) > near) return std::nullopt;
        if (!std::all_of(faces.begin(), faces.end(), [&](int k) { return round(surface(k), m.centre, m.axis, near); })) return std::nullopt;
        const Vec3 radial = (f.origin - m.centre) - m.axis * m.axis.dot(f.origin - m.centre);
        if (radial.norm() < 0.25 * depth_) return std::nullopt;
        if (m.axis.cross(radial).dot(f.z) < 0) m.axis = -m.axis;
        return m;
    }

    // Amounts (length or angle) at which corners of the faces next to the line lie ahead.
    std::vector<double> stops(const Frame& f, const Motion& m, const std::set<int>& faces) const {
        std::vector<double> out;
        const Vec3 on_axis = m.straight ? Vec3(Vec3::Zero()) : Vec3(m.centre + m.axis * m.axis.dot(f.origin - m.centre));
        const Vec3 x = f.origin - on_axis;
        const auto offer = [&](const Vec3& v) {
            if (m.straight) {
                const Vec3 q = f.local(v);
                if (q.head<2>().norm() < 1.5 * depth_ && q.z() > 2 * ahead_) out.push_back(q.z());
                return;
            }
            const Vec3 r = (v - on_axis) - m.axis * m.axis.dot(v - on_axis);
            if (std::abs(r.norm() - x.norm()) > 1.5 * depth_) return;
            double t = std::atan2(x.cross(r).dot(m.axis), x.dot(r));
            if (t < 0) t += 2 * pi;
            if (t * x.norm() > 2 * ahead_ && t < 2 * pi - 2 * ahead_ / x.norm()) out.push_back(t);
        };
        for (int k : faces)
            for (const auto& loop : body_.faces[ix(k)].loops)
                for (const Coedge& u : loop) {
                    const Curve& c = body_.edges[u.edge.index()].curve;
                    offer(c.start()), offer(c.end());
                    if (c.closed(tol_)) offer(c.middle());
                }
        std::sort(out.begin(), out.end());
        const double same = m.straight ? ahead_ : ahead_ / x.norm();
        out.erase(std::unique(out.begin(), out.end(), [&](double a, double b) { return b - a < same; }), out.end());
        return out;
    }

    void walk() {
        while (pieces_.size() < most_pieces) {
            const Axis so_far = axis();
            const Frame f = pieces_.empty() ? frame_ : so_far.frame(so_far.length());
            Frame probe = f;
            probe.origin += ahead_ * f.z;
            const auto here = look(probe);
            if (!here || std::abs(here->area - area_) > same_area * area_) return;
            const auto m = motion(f, here->faces);
            if (!m) return;
            const auto list = stops(f, *m, here->faces);
            if (list.empty()) return;
            faces_.insert(here->faces.begin(), here->faces.end());
            add(*m, list[0]);
        }
    }

    // The line goes to the plane face that closes the far end, also where that is cut at an angle. False where nothing closes it there,
    // or an arc is cut at an angle.
    bool settle_end() {
        if (pieces_.empty()) return false;
        const Axis so_far = axis();
        const Frame f = so_far.frame(so_far.length());
        for (std::size_t k = 0; k < body_.faces.size(); ++k) {
            const Face& face = body_.faces[k];
            const auto* plane = std::get_if<PlaneSurface>(&face.surface);
            if (!plane || faces_.count(static_cast<int>(k))) continue;
            const double cosine = (face.reversed ? -1 : 1) * plane->frame.z.dot(f.z);
            if (cosine < 0.2 || std::abs(face.area * cosine - area_) > 4 * same_area * area_) continue;
            const double ahead = plane->frame.z.dot(plane->frame.origin - f.origin) / plane->frame.z.dot(f.z);
            if ((face_centroid(body_, face) - (f.origin + ahead * f.z)).norm() > 0.1 * depth_ ||
                std::abs(ahead) > depth_ * std::sqrt(1 / (cosine * cosine) - 1) + 2 * ahead_)
                continue;
            if (pieces_.back().first.straight) pieces_.back().second += ahead;
            return pieces_.back().first.straight ? pieces_.back().second > 0 : cosine > 1 - 1e-6;
        }
        return false;
    }

    void add(const Motion& m, double amount) {
        const double before = pieces_.empty() ? 0 : axis().length();
        const bool goes_on = !pieces_.empty() && pieces_.back().first.straight == m.straight &&
                             (m.straight || (pieces_.back().first.centre - m.centre).cross(m.axis).norm() < 1e-4 * depth_);
        if (goes_on) pieces_.back().second += amount;
        else pieces_.emplace_back(m, amount), turns_ += m.straight ? 0 : 1;
        const Axis now = axis();
        const auto half = look(now.frame(0.5 * (before + now.length())));
        if (half && std::abs(half->area - area_) <= same_area * area_ && half->centroid.norm() < 0.02 * depth_) good_ += now.length() - before;
    }

    std::optional<Prism> finished() const {
        Prism p;
        const Axis line = axis();
        // Measured where the profile is exact: on a straight piece, if there is one.
        double at = 0, sum = 0;
        bool straight = false;
        for (const Curve& c : line.pieces()) {
            if (!straight && (c.is_line() || sum == 0)) at = sum + 0.5137 * c.length(), straight = c.is_line();
            sum += c.length();
        }
        p.frame = line.frame(at);
        const auto section = look(p.frame);
        if (!section || std::abs(section->area - area_) > same_area * area_) return std::nullopt;
        std::vector<std::vector<Curve>> loops;
        for (const auto& loop : section->loops) {
            loops.emplace_back();
            for (const SectionPiece& s : loop) loops.back().push_back(s.curve);
        }
        const Frame was = p.frame;
        if (!take_profile(p, std::move(loops), line.length())) return std::nullopt;
        // The same change of axes at the start: there the section stands as it does here.
        const Eigen::Vector3d moved = was.local(p.frame.origin);
        const Vec2 x(p.frame.x.dot(was.x), p.frame.x.dot(was.y));
        Frame start = line.frame(0);
        start.origin = start.at(moved.x(), moved.y());
        start = Frame::with_zx(start.origin, start.z, x.x() * start.x + x.y() * start.y);
        p.axis = axis_from(start);
        p.filled = body_.mass.volume / (p.area * p.length());
        if (p.filled < filled_least || p.filled > filled_most) return std::nullopt;
        for (std::size_t f = 0; f < body_.faces.size(); ++f) p.lateral.push_back(faces_.count(static_cast<int>(f)) > 0);
        return p;
    }

    const Body& body_;
    double tol_;
    BodyBoxes boxes_;
    Frame frame_;
    double depth_ = 0, ahead_ = 0, area_ = 0, good_ = 0;
    int turns_ = 0;
    std::vector<std::pair<Motion, double>> pieces_;
    std::set<int> faces_;
};

}  // namespace

std::optional<Prism> find_bent(const Body& body, double tol) {
    const bool bent = std::any_of(body.faces.begin(), body.faces.end(), [](const Face& f) { return turning_frame(f.surface) != nullptr; });
    if (!bent || body.mass.volume <= 0) return std::nullopt;
    // End faces are small beside the length that the volume then asks for.
    std::vector<const Face*> ends;
    for (const Face& f : body.faces) {
        if (!std::holds_alternative<PlaneSurface>(f.surface) || f.area <= 0) continue;
        Box3 box;
        for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i)
            for (int c : body.facets[i].corners) box.extend(body.points[ix(c)]);
        if (body.mass.volume / f.area > 3 * box.diagonal().norm()) ends.push_back(&f);
    }
    std::stable_sort(ends.begin(), ends.end(), [](const Face* a, const Face* b) { return a->area > b->area; });
    for (std::size_t i = 0; i < std::min(ends.size(), most_ends); ++i)
        if (auto p = Walker(body, tol).from(*ends[i])) return p;
    return std::nullopt;
}

}  // namespace halvo
