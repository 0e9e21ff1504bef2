// What bodies have to do with each other, and with the unit they are given in.
#include "survey/finders.hpp"

#include "body/contacts.hpp"
#include "body/fasteners.hpp"
#include "core/index.hpp"
#include "core/keys.hpp"
#include "core/parallel.hpp"
#include "geom/dense.hpp"
#include "geom/facet_tree.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

Finding between(FindingKind kind, const Body& a, const Body& b, std::string about, std::string advice, const Vec3& place, double size, int face,
                std::initializer_list<double> measures) {
    Finding f;
    f.key = make_key("finding", std::string(kind_name(kind)) + " " + a.key + " " + b.key, measures);
    f.kind = kind, f.about = std::move(about), f.advice = std::move(advice);
    f.place = place, f.size = size, f.body = a.label + " + " + b.label, f.face = FaceId(face), f.body_keys = {a.key, b.key};
    return f;
}

// All points along a ray where it enters or leaves a body, on its exact surfaces.
std::vector<double> crossings(const Body& body, const Vec3& from, const Vec3& d, double length) {
    std::vector<double> out;
    double at = 0;
    while (const auto hit = body.tree->shoot(from, d, at)) {
        if (hit->distance > length) break;
        const Vec3 p = from + hit->distance * d;
        const SkinPoint s = body.on_skin(ix(hit->facet), p);
        const double slope = s.normal.dot(d);
        out.push_back(hit->distance + (std::abs(slope) > 0.1 ? (s.point - p).dot(s.normal) / slope : 0));
        at = hit->distance + 1e-9 * length;
        if (out.size() > 256) break;
    }
    return out;
}

struct Overlap {
    double volume = 0, depth = 0;
    Vec3 centre = Vec3::Zero();
};

// Columns of rays through the region both boxes share; the rays run along its shortest principal direction, so that a thin
// overlap is measured through its thickness.
Overlap overlap(const Body& a, const Body& b, const std::vector<Vec3>& inside) {
    Vec3 mean = Vec3::Zero();
    for (const Vec3& p : inside) mean += p / static_cast<double>(inside.size());
    Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
    for (const Vec3& p : inside) m += (p - mean) * (p - mean).transpose();
    // The facets' normals tell the short direction of flat overlaps better than few points: take the one nearest to it.
    Vec3 d = principal_axes(m).vectors.col(0);
    double best = 0.95;
    for (const Body* k : {&a, &b})
        for (const Vec3& p : inside)
            if (const auto near = k->tree->nearest(p, 1e300)) {
                const Vec3 n = k->facet_normal(ix(near->facet));
                if (std::abs(n.dot(principal_axes(m).vectors.col(0))) > best) best = std::abs(n.dot(principal_axes(m).vectors.col(0))), d = n;
            }
    const Frame f = Frame::with_z(mean, d);
    // Bounds of what both bodies can share, in that frame: of the overlap of their boxes.
    const Box3 common = a.box.intersection(b.box);
    // Rays start outside of both.
    Box3 box, whole;
    for (int k = 0; k < 8; ++k) {
        const auto corner = static_cast<Box3::CornerType>(k);
        box.extend(f.local(common.corner(corner)));
        whole.extend(f.local(a.box.corner(corner))), whole.extend(f.local(b.box.corner(corner)));
    }
    Overlap out;
    Vec3 moment = Vec3::Zero();
    // Two rounds: the first finds where the overlap is, the second measures there.
    Box3 found;
    for (int round = 0; round < 2; ++round) {
        constexpr int n = 96;
        const double du = box.sizes().x() / n, dv = box.sizes().y() / n;
        const double slack = 1e-3 * whole.sizes().z(), low = whole.min().z() - slack, length = whole.max().z() + slack - low;
        std::vector<std::array<double, 4>> columns(static_cast<std::size_t>(n) * n, {0, 0, 0, 0});
        parallel_for(static_cast<std::size_t>(n), [&](std::size_t i) {
            for (int j = 0; j < n; ++j) {
                const double u = box.min().x() + (static_cast<double>(i) + 0.5) * du, v = box.min().y() + (j + 0.5) * dv;
                const auto ca = crossings(a, f.at(u, v, low), f.z, length), cb = crossings(b, f.at(u, v, low), f.z, length);
                double sum = 0, first = 0, from = 0, to = 0;
                for (std::size_t p = 0; p + 1 < ca.size(); p += 2)
                    for (std::size_t q = 0; q + 1 < cb.size(); q += 2) {
                        const double lo = std::max(ca[p], cb[q]), hi = std::min(ca[p + 1], cb[q + 1]);
                        if (hi <= lo) continue;
                        if (sum == 0) from = lo;
                        to = hi, sum += hi - lo, first += (hi - lo) * 0.5 * (lo + hi);
                    }
                columns[i * n + static_cast<std::size_t>(j)] = {sum, first, low + from, low + to};
            }
        });
        out.volume = 0, moment = Vec3::Zero();
        found = Box3();
        for (int i = 0; i < n; ++i)
            for (int j = 0; j < n; ++j) {
                const auto& [sum, first, from, to] = columns[static_cast<std::size_t>(i) * n + static_cast<std::size_t>(j)];
                if (sum <= 0) continue;
                const double u = box.min().x() + (i + 0.5) * du, v = box.min().y() + (j + 0.5) * dv;
                out.volume += sum * du * dv;
                moment += sum * du * dv * Vec3(u, v, low + first / sum);
                found.extend(Vec3(u - du, v - dv, from)), found.extend(Vec3(u + du, v + dv, to));
            }
        if (out.volume <= 0) return out;
        box = box.intersection(found);
    }
    out.centre = f.origin + f.x * moment.x() / out.volume + f.y * moment.y() / out.volume + f.z * moment.z() / out.volume;
    return out;
}

// Part of the plane polygon `poly` on the inner side of all sides of triangle `t` (Sutherland & Hodgman, 1974), as an area.
double common_area(const std::array<Vec2, 3>& t, std::vector<Vec2> poly) {
    for (std::size_t k = 0; k < 3 && !poly.empty(); ++k) {
        const Vec2 &a = t[k], d = t[(k + 1) % 3] - a;
        std::vector<Vec2> out;
        for (std::size_t i = 0; i < poly.size(); ++i) {
            const Vec2 &p = poly[i], &q = poly[(i + 1) % poly.size()];
            const double x = d.x() * (p.y() - a.y()) - d.y() * (p.x() - a.x()), y = d.x() * (q.y() - a.y()) - d.y() * (q.x() - a.x());
            if (x >= 0) out.push_back(p);
            if ((x > 0 && y < 0) || (x < 0 && y > 0)) out.push_back(p + (q - p) * (x / (x - y)));
        }
        poly = std::move(out);
    }
    return poly.size() < 3 ? 0 : std::abs(polygon_area(poly));
}

// Area over which two skins look at each other no further than `limit` apart: facets of one cut with those of the other, seen
// along the normal. Exact between planes; facets of curved faces stand off by their chord error, for which `limit` gives way.
double facing_area(const Body& a, const Body& b, double limit, double tol) {
    double sum = 0;
    const auto curved = [](const Body& k, std::size_t facet) { return !std::holds_alternative<PlaneSurface>(k.faces[ix(k.facets[facet].face)].surface); };
    const auto wall = [](const Body& k) { return k.mass.area > 0 ? 2 * std::abs(k.mass.volume) / k.mass.area : 0; };
    const double slack = 0.1 * std::min(wall(a), wall(b));
    Box3 near = b.box;
    near.min().array() -= limit + tol, near.max().array() += limit + tol;
    for (int i : a.tree->touching(near)) {
        std::array<Vec3, 3> t;
        Box3 box;
        for (std::size_t k = 0; k < 3; ++k) t[k] = a.points[ix(a.facets[ix(i)].corners[k])], box.extend(t[k]);
        const Frame f = Frame::with_z(t[0], a.facet_normal(ix(i)));
        const double reach = limit + tol + (curved(a, ix(i)) ? slack : 0);
        box.min().array() -= reach + slack, box.max().array() += reach + slack;
        for (int j : b.tree->touching(box)) {
            if (f.z.dot(b.facet_normal(ix(j))) > -0.95) continue;
            const double own = reach + (curved(b, ix(j)) ? slack : 0), under = tol + own - limit;
            std::vector<Vec2> poly;
            double height = 0;
            for (int c : b.facets[ix(j)].corners) poly.push_back(f.local2(b.points[ix(c)])), height += f.height(b.points[ix(c)]) / 3;
            if (height > own || height < -under) continue;
            sum += common_area({f.local2(t[0]), f.local2(t[1]), f.local2(t[2])}, std::move(poly));
        }
    }
    return sum;
}

// Does a place on a face's surface lie past the face's own border? Chords of a round hole do, by their sag.
bool past_border(const Body& body, const Face& face, const SkinPoint& at, double near) {
    double least = near;
    bool past = false;
    for (const auto& loop : face.loops)
        for (const Coedge& use : loop) {
            const BodyEdge& e = body.edges[use.edge.index()];
            if (e.degenerate || e.curve.box().squaredExteriorDistance(at.point) > least * least) continue;
            const double t = e.curve.nearest(at.point);
            const Vec3 off = at.point - e.curve.point(t);
            if (off.norm() >= least) continue;
            least = off.norm();
            past = off.dot(at.normal.cross(e.curve.derivative(t))) * (use.reversed ? -1.0 : 1.0) < 0;
        }
    return past;
}

// Facets stand off round surfaces by their chords, so that skins which match seem to lie in each other by hundredths: how deep it is below the
// surfaces themselves that are near, where all of them are known.
double exact_depth(const Body& a, const Body& b, const ContactPoint& p, double chord) {
    const Body &own = p.from_a ? a : b, &other = p.from_a ? b : a;
    const double near = 2 * std::abs(p.gap) + 10 * chord + facets_off(a) + facets_off(b);
    const auto at = own.tree->nearest(p.place, near);
    if (!at) return std::abs(p.gap);
    const SkinPoint on = own.on_skin(ix(at->facet), p.place);
    if (past_border(own, own.faces[ix(own.facets[ix(at->facet)].face)], on, near)) return 0;
    const Vec3& place = on.point;
    std::map<int, SkinPoint> feet;  // the nearest on each face
    for (const int f : other.tree->touching(Box3(place - Vec3::Constant(near), place + Vec3::Constant(near)))) {
        const SkinPoint foot = other.on_skin(ix(f), place);
        const auto [it, fresh] = feet.try_emplace(other.facets[ix(f)].face, foot);
        if (!fresh && (foot.point - place).squaredNorm() < (it->second.point - place).squaredNorm()) it->second = foot;
    }
    double depth = std::numeric_limits<double>::infinity();
    for (const auto& [face, foot] : feet) depth = std::min(depth, -(place - foot.point).dot(foot.normal));
    return std::isfinite(depth) ? depth : std::abs(p.gap);
}

void judge_pair(const Assembly& solids, const std::vector<const Contact*>& contacts, const SurveyOptions& options, bool doubled, bool held, Findings& out) {
    const Body &a = solids.bodies[ix(contacts[0]->a)], &b = solids.bodies[ix(contacts[0]->b)];
    if (doubled) return;
    const double touch = 10 * solids.tolerance.point;
    std::vector<Vec3> inside;
    double depth = 0;
    for (const Contact* c : contacts)
        for (const ContactPoint& p : c->points) {
            // The skin of one may lie exactly on the other's: only points clearly within count.
            const bool deep = p.gap < -2 * touch || (a.closed && b.closed && (p.from_a ? b : a).tree->encloses(p.place) && p.gap > 2 * touch);
            if (!deep) continue;
            const double exact = exact_depth(a, b, p, solids.tolerance.chord);
            if (exact > 2 * touch) inside.push_back(p.place), depth = std::max(depth, exact);
        }
    if (!inside.empty() && a.closed && b.closed) {
        const Overlap o = overlap(a, b, inside);
        if (o.volume > 0 && depth > 2 * touch) {
            out.push_back(between(FindingKind::overlap, a, b, fmt::format("{} and {} overlap by {:.4g} mm3, {:.3g} mm deep", a.label, b.label, o.volume, depth),
                                  "move or cut one of them in CAD; joints there still close", o.centre, depth, -1, {std::cbrt(o.volume), depth}));
            // Bolts drawn through plates without holes are that by intent.
            if (held) out.back().level = FindingLevel::note;
            return;
        }
    }
    double gap = std::numeric_limits<double>::infinity();
    Vec3 at = contacts[0]->centre;
    int face = -1;
    for (const Contact* c : contacts)
        if (c->gap < gap) gap = c->gap, at = c->centre, face = c->points[0].face_a;
    const double touching = gap <= touch ? facing_area(a, b, 0, touch) : 0, area = gap <= touch ? 0 : facing_area(a, b, options.near, touch);
    if (gap <= touch) {
        Finding f = between(FindingKind::contact, a, b, fmt::format("{} and {} touch over {:.4g} mm2", a.label, b.label, touching),
                            "nothing needs doing: join makes it a joint", at, std::sqrt(touching), face, {std::sqrt(touching)});
        f.level = FindingLevel::note;
        out.push_back(std::move(f));
    } else if (gap <= options.near && !held) {
        out.push_back(between(FindingKind::near_miss, a, b,
                              fmt::format("{} and {} stand {:.3g} mm apart, facing each other over {:.4g} mm2", a.label, b.label, gap, area),
                              "join.reach closes gaps up to its length; close it in CAD otherwise", at, gap, face, {gap, std::sqrt(area)}));
    }
}

bool doubled_bodies(const Body& a, const Body& b, double tol) {
    const auto close = [&](double x, double y) { return std::abs(x - y) <= 1e-6 * std::max(std::abs(x), std::abs(y)); };
    if (!close(a.mass.volume, b.mass.volume) || !close(a.mass.area, b.mass.area)) return false;
    const double near = std::max(10 * tol, 1e-6 * extent(a));
    if ((a.mass.centre - b.mass.centre).norm() > near || a.vertices.size() != b.vertices.size()) return false;
    return std::all_of(a.vertices.begin(), a.vertices.end(),
                       [&](const Vec3& v) { return b.tree->nearest(v, near + 0.01 * a.mass.volume / a.mass.area).has_value(); });
}

void find_tiny(const Assembly& solids, const SurveyOptions& options, Findings& out) {
    if (solids.bodies.size() < 2) return;
    const double limit = options.tiny.value_or(1e-3 * extent(solids));
    std::map<int, std::vector<const Body*>> parts;
    for (const Body& b : solids.bodies)
        if (!b.box.isEmpty() && extent(b) < limit) parts[b.part].push_back(&b);
    for (const auto& [part, list] : parts) {
        const Body& b = *list[0];
        Finding f;
        f.key = make_key("finding", "tiny " + b.key, {extent(b)});
        f.kind = FindingKind::tiny_body;
        f.about = fmt::format("{}: {:.3g} mm large in a model of {:.3g} mm{}", b.label, extent(b), extent(solids),
                              list.size() > 1 ? fmt::format(" (and {} more of the same part)", list.size() - 1) : "");
        f.advice = "leave it out with source.skip";
        f.place = b.box.center(), f.size = extent(b), f.body = b.label, f.body_keys = {b.key, ""};
        out.push_back(std::move(f));
    }
}

Finding about_file(const Assembly& solids, FindingKind kind, std::string about, std::string advice) {
    Finding f;
    f.key = make_key("finding", std::string(kind_name(kind)) + " " + about, {});
    f.kind = kind, f.about = std::move(about), f.advice = std::move(advice);
    f.place = solids.box.isEmpty() ? Vec3(0, 0, 0) : Vec3(solids.box.center());
    f.size = extent(solids);
    return f;
}

void find_unit(const Assembly& solids, const Survey& survey, Findings& out) {
    if (solids.box.isEmpty()) return;
    const double size = extent(solids);
    double wall = 0, most = 0;
    for (std::size_t i = 0; i < solids.bodies.size(); ++i)
        for (const ThicknessBand& t : survey.bodies[i].bands)
            if (t.share * survey.bodies[i].wall_area > most) most = t.share * survey.bodies[i].wall_area, wall = t.mean;
    // What would make a part of plausible size and wall: a few centimetres to some metres, tenths of a millimetre to centimetres.
    const auto plausible = [&](double scale) {
        return size * scale >= 20 && size * scale <= 5e4 && (wall <= 0 || (wall * scale >= 0.2 && wall * scale <= 60));
    };
    std::string guess;
    for (const auto& [name, scale] : {std::pair{"mm", 1.0}, {"inch", 25.4}, {"m", 1000.0}, {"cm", 10.0}})
        if (guess.empty() && plausible(scale)) guess = name;
    const std::string figures = wall > 0 ? fmt::format("{:.4g} mm large, walls of {:.3g} mm", size, wall) : fmt::format("{:.4g} mm large", size);
    if (!solids.unit_stated) {
        out.push_back(about_file(
            solids, FindingKind::unit_not_stated, fmt::format("{} files have no unit; read as mm it is {}", solids.format, figures),
            guess.empty() ? "say source.unit; no unit gives it a likely size" : fmt::format("say source.unit; \"{}\" would give it a likely size", guess)));
    } else if (guess != "mm" && (size < 5 || size > 2e5 || (wall > 0 && wall < 0.02))) {
        out.push_back(about_file(solids, FindingKind::unit_suspicion, fmt::format("the model is {} in the unit of the file ({})", figures, solids.unit),
                                 guess.empty()
                                     ? "check the unit the file was exported in"
                                     : fmt::format("check the unit the file was exported in; {} times larger it would be likely", guess == "inch" ? "25.4"
                                                                                                                                  : guess == "m"  ? "1000"
                                                                                                                                                  : "10")));
    }
}

}  // namespace

void find_between_bodies(const Assembly& solids, const Survey& survey, const SurveyOptions& options, const Observer& observer, Findings& out) {
    find_unit(solids, survey, out);
    for (const std::string& n : solids.notes) out.push_back(about_file(solids, FindingKind::reader_note, n, "see whether that is meant"));
    find_tiny(solids, options, out);
    const auto contacts = find_contacts(solids, options.near, observer, "survey");
    // Play in the holes of bolts is no gap that anything is to close.
    std::set<BodyPair> held;
    for (const Fastener& f : find_fasteners(solids)) {
        for (const Fastener::Grip& g : f.grips) held.insert(std::minmax(f.body, g.body));
        for (const BodyId r : f.rings) held.insert(std::minmax(f.body, r));
    }
    std::map<BodyPair, std::vector<const Contact*>> pairs;
    for (const Contact& c : contacts) pairs[{c.a, c.b}].push_back(&c);
    for (const auto& [ids, list] : pairs) {
        const Body &a = solids.bodies[ix(ids.first)], &b = solids.bodies[ix(ids.second)];
        const bool doubled = doubled_bodies(a, b, solids.tolerance.point);
        if (doubled)
            out.push_back(between(FindingKind::doubled_bodies, a, b, fmt::format("{} and {} are the same body in the same place", a.label, b.label),
                                  "leave one of them out with source.skip", a.mass.centre, extent(a), -1, {std::cbrt(a.mass.volume)}));
        judge_pair(solids, list, options, doubled, held.contains(ids), out);
    }
}

}  // namespace halvo
