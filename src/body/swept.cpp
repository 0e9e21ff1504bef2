// Bodies that carry one profile along any smooth line, with two ends or closed: found section by section. The skin says where the line
// goes: all normals round a section are square to it.
#include "body/prism.hpp"
#include "body/section.hpp"
#include "core/index.hpp"
#include "geom/dense.hpp"
#include "geom/facet_tree.hpp"
#include "geom/outline.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double least_length = 4;      // times the depth, for a line worth walking
constexpr double ends_at = 0.5;         // cosine between a face's normal and the line: it closes the profile
constexpr double square_enough = 0.02;  // root mean square cosine of the skin's normals with the line, at most
constexpr int most_stations = 600;      // along a line: bounds the time

struct Station {
    Frame frame;  // origin at the section's centroid, z along the line
    double area = 0;
    bool at_end = false;  // the section runs into a face that closes the body
};

class Marcher {
public:
    Marcher(const Body& body, double tol) : body_(body), boxes_(body), tol_(tol) {
        for (const Face& f : body.faces) surfaces_.emplace_back(f.surface);
    }

    std::optional<Prism> run() {
        for (const Face* f : ends())
            if (auto p = from_end(*f)) return p;
        return from_side();
    }

private:
    // End faces are small beside the length that the volume then asks for.
    std::vector<const Face*> ends() const {
        std::vector<const Face*> out;
        for (const Face& f : body_.faces)
            if (std::holds_alternative<PlaneSurface>(f.surface) && f.area > 0 && body_.mass.volume / f.area > least_length * std::sqrt(f.area))
                out.push_back(&f);
        std::stable_sort(out.begin(), out.end(), [](const Face* a, const Face* b) { return a->area > b->area; });
        if (out.size() > 4) out.resize(4);
        return out;
    }

    std::optional<Prism> from_end(const Face& end) {
        const auto* plane = std::get_if<PlaneSurface>(&end.surface);
        const Vec3 in = end.reversed ? plane->frame.z : Vec3(-plane->frame.z);
        depth_ = std::sqrt(end.area);
        Frame f = Frame::with_z(face_centroid(body_, end) + 0.3 * depth_ * in, in);
        auto first = settled(f);
        if (!first || first->at_end) return std::nullopt;
        return walk(*first, true);
    }

    // Closed rings have no end to start from: at a place of the skin, every way along it is tried.
    std::optional<Prism> from_side() {
        const auto largest = std::max_element(body_.faces.begin(), body_.faces.end(), [](const Face& a, const Face& b) { return a.area < b.area; });
        if (largest == body_.faces.end() || largest->facet_count == 0) return std::nullopt;
        const std::size_t facet = largest->first_facet + largest->facet_count / 2;
        const auto& k = body_.facets[facet].corners;
        const SkinPoint on = body_.on_skin(facet, (body_.points[ix(k[0])] + body_.points[ix(k[1])] + body_.points[ix(k[2])]) / 3);
        const auto across = body_.tree->shoot(on.point, -on.normal, tol_);
        if (!across) return std::nullopt;
        depth_ = across->distance;
        const Frame f = Frame::with_z(on.point - 0.5 * across->distance * on.normal, on.normal);
        constexpr int ways = 6;
        for (int i = 0; i < ways; ++i) {
            const double a = i * pi / ways;
            auto first = settled(Frame::with_z(f.origin, std::cos(a) * f.x + std::sin(a) * f.y));
            if (!first || first->at_end) continue;
            depth_ = std::sqrt(first->area);
            if (body_.mass.volume / first->area < least_length * depth_) continue;
            if (auto p = walk(*first, false)) return p;
        }
        return std::nullopt;
    }

    // The section near a frame, turned until it stands square to the skin, with its centroid as origin.
    std::optional<Station> settled(Frame f) const {
        for (int round = 0; round < 12; ++round) {
            const auto s = look(f);
            if (!s) return std::nullopt;
            const double moved = (s->frame.origin - f.origin).norm(), turned = s->frame.z.cross(f.z).norm();
            if (s->at_end || (moved < 1e-7 * depth_ + 0.1 * tol_ && turned < 1e-8)) return s;
            f = Frame::with_zx(s->frame.origin, s->frame.z, f.x);
        }
        return std::nullopt;
    }

    std::optional<Station> look(const Frame& f) const {
        const PlaneSection s = cut(body_, f, tol_, &boxes_);
        const auto polygons = section_polygons(s, f, 1e-4 * depth_);
        const int outer = outline_at_origin(polygons);
        if (outer < 0) return std::nullopt;
        Station out;
        Vec2 first = Vec2::Zero();
        Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
        double round = 0;
        for (std::size_t i = 0; i < polygons.size(); ++i) {
            const double a = polygon_area(polygons[i]);
            if (static_cast<int>(i) != outer && (a > 0 || !inside({polygons[ix(outer)]}, polygons[i][0]))) continue;
            out.area += a;
            for (std::size_t k = 0; k < polygons[i].size(); ++k) first += moment_under(polygons[i][k], polygons[i][(k + 1) % polygons[i].size()]);
            for (const SectionPiece& p : s.loops[i]) {
                const double length = p.curve.length();
                for (const double share : {0.1127, 0.5, 0.8873}) {
                    const Vec3 n = surfaces_[ix(p.face)].foot(p.curve.point(p.curve.parameter_at(share))).normal;
                    const bool end = std::abs(n.dot(f.z)) > ends_at;
                    out.at_end = out.at_end || end;
                    if (!end) spread += length * n * n.transpose(), round += length;
                }
            }
        }
        if (out.area <= 0 || round <= 0) return std::nullopt;
        const auto axes = principal_axes(Eigen::Matrix3d(spread / round));
        if (std::sqrt(std::max(0.0, axes.values[0])) > square_enough && !out.at_end) return std::nullopt;
        // A flat section has two ways square to its skin nearly: the nearer one to where the line was going.
        Vec3 z = axes.vectors.col(0);
        if (z.dot(f.z) < 0) z = -z;
        if (z.dot(f.z) < 0.8) return std::nullopt;
        out.frame = Frame::with_zx(f.at(Vec2(first / out.area)), z, f.x);
        return out;
    }

    std::optional<Prism> walk(const Station& first, bool has_end) {
        area_ = first.area;
        const double length = body_.mass.volume / area_;
        if (length < least_length * depth_) return std::nullopt;
        const double step = std::clamp(0.5 * depth_, length / most_stations, length / 24);
        std::vector<Station> line{first};
        bool closed = false;
        if (!march(line, step, closed)) return std::nullopt;
        if (!closed) {
            std::vector<Station> back{turned_round(first)};
            if (!has_end) return std::nullopt;  // from the side only rings are walked
            bool loops = false;
            if (!march(back, step, loops)) return std::nullopt;
            for (std::size_t i = 1; i < back.size(); ++i) line.insert(line.begin(), turned_round(back[i]));
        }
        return finished(line, closed);
    }

    static Station turned_round(Station s) {
        s.frame.z = -s.frame.z, s.frame.x = -s.frame.x;
        return s;
    }

    // On from the last station to the end face, or once round to the first; false where the profile changes before that.
    bool march(std::vector<Station>& line, double step, bool& closed) const {
        const Vec3 home = line.front().frame.origin;
        for (int i = 0; i < 2 * most_stations; ++i) {
            const Station& last = line.back();
            Vec3 way = last.frame.z;
            // Curved lines are followed: the turn of the last step goes on.
            if (line.size() > 1) way = (2 * last.frame.z - line[line.size() - 2].frame.z).normalized();
            Frame ahead = Frame::with_zx(last.frame.origin + step * (0.5 * (last.frame.z + way)).normalized(), way, last.frame.x);
            if (line.size() > 8 && (home - last.frame.origin).norm() < 1.2 * step && (home - last.frame.origin).dot(last.frame.z) > 0) {
                line.push_back(line.front());
                closed = true;
                return true;
            }
            const auto next = settled(ahead);
            if (!next || next->at_end || (next->frame.origin - ahead.origin).norm() > step) return settle_end(line, step);
            if (std::abs(next->area - area_) > same_area * area_) return false;
            line.push_back(*next);
        }
        return false;
    }

    // The face that closes the profile ahead: its plane ends the line.
    bool settle_end(std::vector<Station>& line, double step) const {
        const Station& last = line.back();
        double best = 2.5 * step + depth_;
        const Face* end = nullptr;
        for (const Face& f : body_.faces) {
            const auto* plane = std::get_if<PlaneSurface>(&f.surface);
            if (!plane) continue;
            const double cosine = (f.reversed ? -1 : 1) * plane->frame.z.dot(last.frame.z);
            if (cosine < ends_at || std::abs(f.area * cosine - area_) > 0.05 * area_) continue;
            const double ahead = plane->frame.z.dot(plane->frame.origin - last.frame.origin) / plane->frame.z.dot(last.frame.z);
            if (ahead < -0.1 * step || ahead > best || (face_centroid(body_, f) - (last.frame.origin + ahead * last.frame.z)).norm() > 0.6 * depth_) continue;
            best = ahead, end = &f;
        }
        if (!end) return false;
        const auto* plane = std::get_if<PlaneSurface>(&end->surface);
        // Square ends say where the line ends and which way; on others it runs on as it did.
        const double cosine = (end->reversed ? -1 : 1) * plane->frame.z.dot(last.frame.z);
        Station s = last;
        if (cosine > 0.98) {
            s.frame = Frame::with_zx(face_centroid(body_, *end), end->reversed ? Vec3(-plane->frame.z) : plane->frame.z, last.frame.x);
        } else {
            s.frame.origin = last.frame.origin + best * last.frame.z;
        }
        if ((s.frame.origin - last.frame.origin).norm() < 0.25 * step && line.size() > 2) line.pop_back();
        line.push_back(s);
        return true;
    }

    std::optional<Prism> finished(const std::vector<Station>& line, bool closed) const {
        if (line.size() < 6) return std::nullopt;
        std::vector<Curve> pieces;
        // A ring is two pieces: an edge that starts where it ends has no middle to hold on to.
        const std::size_t half = closed ? line.size() / 2 : line.size() - 1;
        for (std::size_t from = 0; from + 1 < line.size();) {
            const std::size_t to = from == 0 ? half : line.size() - 1;
            std::vector<Vec3> points, tangents;
            for (std::size_t i = from; i <= to; ++i) points.push_back(line[i].frame.origin), tangents.push_back(line[i].frame.z);
            pieces.push_back(Curve::polyline(std::move(points), std::move(tangents)));
            from = to;
        }
        const Axis walked(line.front().frame, std::move(pieces));
        Prism p;
        // Measured on a station of its own, clear of both ends; the axes it takes are then carried back to the start.
        const std::size_t middle = line.size() / 2;
        p.frame = line[middle].frame;
        PlaneSection s = cut(body_, p.frame, tol_, &boxes_);
        const auto polygons = section_polygons(s, p.frame, 1e-4 * depth_);
        const int outer = outline_at_origin(polygons);
        if (outer < 0) return std::nullopt;
        std::vector<std::vector<Curve>> loops;
        for (std::size_t i = 0; i < s.loops.size(); ++i) {
            if (static_cast<int>(i) != outer && (polygon_area(polygons[i]) > 0 || !inside({polygons[ix(outer)]}, polygons[i][0]))) continue;
            loops.emplace_back();
            for (const SectionPiece& k : s.loops[i]) loops.back().push_back(k.curve);
        }
        if (!take_profile(p, std::move(loops), walked.length())) return std::nullopt;
        const Frame there = walked.frame(walked.parameter(line[middle].frame.origin));
        const double turn = std::atan2(p.frame.x.dot(there.y), p.frame.x.dot(there.x));
        Frame start = walked.frame(0);
        start = Frame::with_zx(start.origin, start.z, std::cos(turn) * start.x + std::sin(turn) * start.y);
        p.axis = Axis(start, walked.pieces());
        p.filled = body_.mass.volume / (p.area * p.length());
        if (p.filled < filled_least || p.filled > filled_most) return std::nullopt;
        for (const Face& f : body_.faces) p.lateral.push_back(!is_end(f, p.axis, closed));
        return p;
    }

    bool is_end(const Face& f, const Axis& axis, bool closed) const {
        const auto* plane = std::get_if<PlaneSurface>(&f.surface);
        if (closed || !plane) return false;
        for (const double s : {0.0, axis.length()})
            if (std::abs(plane->frame.z.dot(axis.direction(s))) > ends_at && (face_centroid(body_, f) - axis.at(s)).norm() < depth_) return true;
        return false;
    }

    const Body& body_;
    BodyBoxes boxes_;
    double tol_, depth_ = 1, area_ = 0;
    std::vector<BaseSurface> surfaces_;
};

}  // namespace

std::optional<Prism> find_swept(const Body& body, double tol) {
    const auto bent = [](const Face& f) { return !std::holds_alternative<PlaneSurface>(f.surface); };
    if (body.faceted || body.mass.volume <= 0 || std::none_of(body.faces.begin(), body.faces.end(), bent)) return std::nullopt;
    for (const Face& f : body.faces)
        if (const auto* free = std::get_if<FreeSurface>(&f.surface); free && !free->spline) return std::nullopt;
    return Marcher(body, tol).run();
}

}  // namespace halvo
