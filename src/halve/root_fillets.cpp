#include "halve/root_fillets.hpp"

#include "core/index.hpp"
#include "core/parallel.hpp"
#include "geom/spread.hpp"
#include "model/sheet_index.hpp"
#include "model/slab.hpp"

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr double deepest = 1.0;      // times the thicker of the two sheets it lies between; more is a solid region
constexpr double in_corner = 1.77;   // as much deeper in a corner of three: of a ball there against a round along an edge, (sqrt 3 - 1) / (sqrt 2 - 1)
constexpr double shallowest = 0.02;  // less is a rim or an end of these sheets
constexpr double farthest = 4;       // thicknesses of a sheet that material at its root may reach
constexpr double most_share = 0.9;   // of the face, from which sheets are reached so

class Roots {
public:
    Roots(const Model& model, const Body& body, BodyId id, double tol) : body_(body), tol_(tol), sheets_(model, id, farthest) {}

    std::optional<RootFillet> of(int f) const {
        const Face& face = body_.faces[ix(f)];
        RootFillet out;
        out.face = f;
        double all = 0, reached = 0;
        std::set<const Sheet*> sheets;
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            const auto& k = body_.facets[i].corners;
            constexpr int n = 4;
            const double area = body_.facet_area(i) / (n * n);
            for (const Vec3& p : middles_of_pieces(body_.points[ix(k[0])], body_.points[ix(k[1])], body_.points[ix(k[2])], n)) {
                const SkinPoint on = body_.on_skin(i, p);
                all += area;
                const auto hit = depth(on);
                if (!hit) continue;
                reached += area, sheets.insert(hit->first);
                out.depth = std::max(out.depth, hit->second);
                out.volume += area * hit->second * (1 + 0.5 * widening(i, p, on) * hit->second);
            }
        }
        if (all <= 0 || reached < most_share * all || sheets.size() < 2) return std::nullopt;
        double thick = 0;
        for (const Sheet* s : sheets) thick = std::max(thick, s->thickness.max);
        if (out.depth > deepest * (sheets.size() > 2 ? in_corner : 1) * thick || out.depth < shallowest * thick) return std::nullopt;
        out.volume *= face.area / reached;  // facets of a bent face are a little short of it
        out.place = middle(face);
        return out;
    }

private:
    // How far inward along the normal the first sheet's material begins.
    std::optional<std::pair<const Sheet*, double>> depth(const SkinPoint& from) const {
        std::optional<std::pair<const Sheet*, double>> best;
        for (int s : sheets_.near(from.point))
            if (const auto d = reach(s, from); d && (!best || *d < best->second)) best = {&sheets_.sheet(s), *d};
        return best;
    }

    // By the secant method on the distance from the sheet's slab; its foot must lie in the sheet.
    std::optional<double> reach(int k, const SkinPoint& from) const {
        const Sheet& s = sheets_.sheet(k);
        const double limit = 3 * s.thickness.max;
        if (std::abs(s.chart.height(from.point)) > limit + s.thickness.max) return std::nullopt;
        double a = 0, fa = slab_place(s, from.point).beyond();
        if (fa <= tol_) return over(k, from.point) ? std::optional(0.0) : std::nullopt;
        if (fa > limit) return std::nullopt;
        double b = fa, fb = slab_place(s, from.point - b * from.normal).beyond();
        for (int i = 0; i < 60 && std::abs(fb) > tol_; ++i) {
            const double slope = (fb - fa) / (b - a);
            if (!(slope < -0.02)) return std::nullopt;
            a = b, fa = fb;
            b -= fb / slope;
            if (!(b >= 0) || b > limit) return std::nullopt;
            fb = slab_place(s, from.point - b * from.normal).beyond();
        }
        const Vec3 at = from.point - b * from.normal;
        return over(k, at) ? std::optional(b) : std::nullopt;
    }

    bool over(int k, const Vec3& p) const {
        const Vec2 q = sheets_.sheet(k).chart.local2(p);
        return sheets_.outline(k).inside(q) || sheets_.outline(k).border_within(q, 10 * tol_);
    }

    // Growth of the face's area with the depth below it: the divergence of its inward normals (1/mm).
    double widening(std::size_t facet, const Vec3& p, const SkinPoint& on) const {
        const Frame f = Frame::with_z(on.point, on.normal);
        const auto& k = body_.facets[facet].corners;
        double longest = 0;
        for (std::size_t i = 0; i < 3; ++i) longest = std::max(longest, (body_.points[ix(k[(i + 1) % 3])] - body_.points[ix(k[i])]).norm());
        const double step = 0.1 * body_.facet_area(facet) / std::max(longest, 1e-300);  // a twentieth of the facet's height
        double sum = 0;
        for (const Vec3& d : {f.x, f.y}) {
            const SkinPoint a = body_.on_skin(facet, p + step * d), b = body_.on_skin(facet, p - step * d);
            sum -= (a.normal - b.normal).dot(d) / std::max((a.point - b.point).norm(), 1e-300);
        }
        return std::isfinite(sum) ? sum : 0;
    }

    Vec3 middle(const Face& face) const {
        Vec3 sum = Vec3::Zero();
        double area = 0;
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
            for (int c : body_.facets[i].corners) sum += body_.facet_area(i) / 3 * body_.points[ix(c)], area += body_.facet_area(i) / 3;
        return sum / std::max(area, 1e-300);
    }

    const Body& body_;
    double tol_;
    SheetIndex sheets_;
};

}  // namespace

std::vector<RootFillet> root_fillets(const Model& model, const Assembly& solids, BodyId body, const std::vector<int>& loose_faces) {
    const Roots roots(model, solids.bodies[ix(body)], body, 10 * solids.tolerance.point);
    std::vector<std::optional<RootFillet>> found(loose_faces.size());
    parallel_for(found.size(), [&](std::size_t i) { found[i] = roots.of(loose_faces[i]); });
    std::vector<RootFillet> out;
    for (const auto& r : found)
        if (r) out.push_back(*r);
    return out;
}

}  // namespace halvo
