#include "body/corner_patches.hpp"

#include "body/chart_middle.hpp"
#include "core/index.hpp"
#include "geom/facet_tree.hpp"
#include "geom/fit_free.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double widest = 12;      // thicknesses across: larger pieces are panels
constexpr double beyond = 0.8;     // thicknesses, to which points of the walls beside are taken
constexpr double mean_off = 1e-3;  // of the thickness, between the new midsurface and its points: root of the mean square
constexpr double most_off = 0.02;  // and the largest: walls that end at one corner of it with rounds of their own
constexpr int across = 24;         // lines that look through the corner, along each direction
constexpr double steepest = 0.35;  // cosine between those and a midsurface that they pass

class Corner {
public:
    Corner(const Body& body, const Skin& skin, const std::vector<Wall>& walls, const std::map<int, std::set<std::size_t>>& at_face, std::size_t own)
        : body_(body), skin_(skin), walls_(walls), at_face_(at_face), own_(own) {}

    // Its `worst` is that of the wall's own points.
    std::optional<Fit> fit() {
        if (!goes_on_all_round()) return std::nullopt;
        look_through();
        if (of_own_.size() < 9 || 3 * points_.size() < 4 * of_own_.size()) return std::nullopt;
        auto f = fit_free(points_, normals_, 0);
        const double t = walls_[own_].thickness;
        if (!f || f->rms > mean_off * t || f->worst > most_off * t) return std::nullopt;
        const BaseSurface s(f->surface);
        double off = 0;
        for (std::size_t k : of_own_) off = std::max(off, (s.foot(points_[k]).point - points_[k]).norm());
        f->worst = off;
        return f;
    }

private:
    // Fills `beside_` with the walls beside it, and those that both these and it end at in one corner. On one side at least it must go on
    // smoothly in each.
    bool goes_on_all_round() {
        std::set<int> faces;
        for (const FacePair& p : walls_[own_].pairs) faces.insert({p.top, p.bottom});
        std::set<std::size_t> all;
        for (int f : faces)
            for (const auto& l : skin_.neighbours.of[ix(f)]) {
                if (faces.count(l.other)) continue;
                const auto it = at_face_.find(l.other);
                if (it == at_face_.end()) return false;
                (l.smooth ? beside_ : all).insert(it->second.begin(), it->second.end());
            }
        if (!std::includes(beside_.begin(), beside_.end(), all.begin(), all.end())) return false;
        std::set<std::size_t> next;
        for (std::size_t w : beside_)
            for (const FacePair& p : walls_[w].pairs)
                for (int f : {p.top, p.bottom})
                    for (const auto& l : skin_.neighbours.of[ix(f)])
                        if (const auto it = at_face_.find(l.other); l.smooth && it != at_face_.end()) next.insert(it->second.begin(), it->second.end());
        beside_.merge(next);
        beside_.erase(own_);
        // What is itself to be fitted anew says nothing yet.
        std::erase_if(beside_, [&](std::size_t w) { return std::holds_alternative<FreeSurface>(walls_[w].chart.surface()); });
        return beside_.size() >= 3;
    }

    void look_through() {
        const Wall& w = walls_[own_];
        Vec3 middle = Vec3::Zero(), normal = Vec3::Zero();
        std::size_t count = 0;
        for (const FacePair& p : w.pairs)
            for (const Vec3& q : p.seen) middle += q, normal += w.chart.normal(q), ++count;
        const Frame f = Frame::with_z(middle / static_cast<double>(count), normal.normalized());
        Box2 range;
        for (const FacePair& p : w.pairs)
            for (int face : {p.top, p.bottom}) {
                const Face& k = body_.faces[ix(face)];
                for (std::size_t i = k.first_facet; i < k.first_facet + k.facet_count; ++i)
                    for (int c : body_.facets[i].corners) range.extend(f.local2(body_.points[ix(c)]));
            }
        range.min().array() -= beyond * w.thickness, range.max().array() += beyond * w.thickness;
        for (int i = 0; i <= across; ++i)
            for (int j = 0; j <= across; ++j) {
                const Vec2 at = range.min() + Vec2(static_cast<double>(i) / across, static_cast<double>(j) / across).cwiseProduct(range.sizes());
                const Vec3 from = f.at(at.x(), at.y(), 0);
                if (take(own_, from, f.z)) of_own_.push_back(points_.size() - 1);
                for (std::size_t n : beside_)
                    if (take(n, from, f.z)) break;
            }
    }

    // The point of a wall's midsurface on the line, if the wall's own sides enclose it there.
    bool take(std::size_t w, const Vec3& from, const Vec3& way) {
        const auto [it, fresh] = surfaces_.try_emplace(w);
        if (fresh) it->second = BaseSurface(walls_[w].chart.surface());
        const double far = widest * walls_[own_].thickness, d = it->second.along(from, way);
        if (!(std::abs(d) < far)) return false;
        const Vec3 p = from + d * way;
        Vec3 n = walls_[w].chart.normal(p);
        if (n.dot(way) < 0) n = -n;
        if (n.dot(way) < steepest || std::abs(walls_[w].chart.height(p)) > 1e-3 * walls_[w].thickness || !enclosed(walls_[w], p, n)) return false;
        points_.push_back(p), normals_.push_back(n);
        return true;
    }

    [[nodiscard]] bool enclosed(const Wall& w, const Vec3& p, const Vec3& n) const {
        const auto up = body_.tree->shoot(p, n, 0), down = body_.tree->shoot(p, -n, 0);
        if (!up || !down) return false;
        const int above = body_.facets[ix(up->facet)].face, below = body_.facets[ix(down->facet)].face;
        return std::any_of(w.pairs.begin(), w.pairs.end(), [&](const FacePair& q) { return std::minmax(q.top, q.bottom) == std::minmax(above, below); });
    }

    const Body& body_;
    const Skin& skin_;
    const std::vector<Wall>& walls_;
    const std::map<int, std::set<std::size_t>>& at_face_;
    std::size_t own_;
    std::set<std::size_t> beside_;
    std::map<std::size_t, BaseSurface> surfaces_;
    std::vector<Vec3> points_, normals_;
    std::vector<std::size_t> of_own_;  // numbers of those of its own midsurface
};

}  // namespace

void fit_into_corners(const Body& body, const Skin& skin, std::vector<Wall>& walls) {
    if (body.faceted) return;
    std::map<int, std::set<std::size_t>> at_face;
    for (std::size_t i = 0; i < walls.size(); ++i)
        for (const FacePair& p : walls[i].pairs) at_face[p.top].insert(i), at_face[p.bottom].insert(i);
    for (std::size_t i = 0; i < walls.size(); ++i) {
        Wall& w = walls[i];
        const auto* free = std::get_if<FreeSurface>(&w.chart.surface());
        if (w.pairs.empty() || w.named || w.bend || !free || !free->spline || w.width > widest * w.thickness) continue;
        const auto f = Corner(body, skin, walls, at_face, i).fit();
        if (!f) continue;
        const Vec3 at = w.pairs[0].seen[0], n = w.chart.normal(at);
        w.chart = Chart(f->surface, chart_middle(f->surface, w.pairs[0].seen));
        if (w.chart.normal(at).dot(n) < 0) w.chart = w.chart.turned_over();
        w.fit_error = f->worst;
    }
}

}  // namespace halvo
