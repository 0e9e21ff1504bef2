#include "body/facet_regions.hpp"

#include "body/facet_settling.hpp"
#include "core/index.hpp"
#include "geom/dense.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace halvo {
namespace {

class Recognition : public FacetSettling {
public:
    Recognition(const FacetMesh& m, double noise, double size) : FacetSettling(m, noise, size) {}

    void run() {
        const std::size_t n = m_.facets.size();
        std::vector<double> turn(n, 0);
        for (std::size_t f = 0; f < n; ++f)
            for (int g : m_.across[f])
                if (g >= 0)
                    if (const double t = angle(f, ix(g)); t < sharp) turn[f] = std::max(turn[f], t);
        std::vector<int> order(n);
        std::iota(order.begin(), order.end(), 0);
        // By hundredths of a degree: rounding must not decide where growing starts.
        const auto rank = [&](int f) { return std::lround(turn[ix(f)] * 5e3); };
        std::stable_sort(order.begin(), order.end(), [&](int a, int b) {
            if (rank(a) != rank(b)) return rank(a) < rank(b);
            return area_[ix(a)] > area_[ix(b)] * (1 + 1e-9);
        });
        if (clean_) grow_tight(order);
        else grow_all(order), adopt();
        clean_up();
        const auto open = free_forms();
        if (!clean_) retry_with_tori(open, order);
    }

    std::vector<FacetRegion> result() {
        std::vector<FacetRegion> out;
        for (const GrownRegion& g : regions_) out.push_back({g.surface, {}, g.rms});
        // What fits nothing: one region for each connected rest within sharp edges.
        for (const auto& rest : rests()) {
            for (int f : rest) region_[ix(f)] = static_cast<int>(out.size());
            out.push_back({FreeSurface{}, {}, 0});
        }
        for (std::size_t f = 0; f < region_.size(); ++f) out[ix(region_[f])].facets.push_back(static_cast<int>(f));
        for (FacetRegion& r : out)
            if (!std::holds_alternative<FreeSurface>(r.surface)) r.rms = rms(r.surface, r.facets);
        std::erase_if(out, [](const FacetRegion& r) { return r.facets.empty(); });
        return out;
    }

private:
    // First what is exact to the precision of the file, so that it ends where it does; of what is left, forms that are only near
    // theirs. Where neither carries a patch, it is of a free form.
    void grow_tight(const std::vector<int>& order) {
        within_ *= tight_within / clean_within;
        grow_from(order, false);
        adopt();
        release_open();
        within_ = loose_;
        const auto left = explained() >= mostly ? rests() : std::vector<std::vector<int>>{};
        grow_from(order, false);
        for (const auto& rest : left)
            if (!carried(rest, 2)) make_free(rest);
        reach_out();
        grow_from(order, true);
        adopt();
        for (const auto& rest : left) free_between(rest);
    }

    // Under scatter a torus passes for any free form nearby: only what is none, as a form closed round, is tried for tori.
    void retry_with_tori(const std::vector<std::vector<int>>& open, const std::vector<int>& order) {
        if (open.empty()) return;
        tori_ = true;
        const std::vector<int> before = region_;
        for (const auto& group : open)
            for (int f : group) region_[ix(f)] = -1;
        std::vector<int> again;
        for (int f : order)
            if (region_[ix(f)] < 0) again.push_back(f);
        grow_all(again);
        adopt();
        clean_up();
        for (const auto& group : open)
            if (!carried(group))
                for (int f : group) region_[ix(f)] = before[ix(f)];
    }
};

double mean_side(const FacetMesh& m) {
    double sum = 0;
    for (std::size_t f = 0; f < m.facets.size(); ++f)
        for (std::size_t k = 0; k < 3; ++k) sum += (m.at(f, k + 1) - m.at(f, k)).norm();
    return sum / (3.0 * static_cast<double>(m.facets.size()));
}

// Scatter of the corners: how far they lie from quadrics through two rings of neighbours. The lower third of all places
// tells: edges and tight bends only add.
double scatter(const FacetMesh& m) {
    std::vector<std::vector<int>> ring(m.points.size());
    for (const auto& f : m.facets)
        for (std::size_t k = 0; k < 3; ++k) ring[ix(f[k])].push_back(f[(k + 1) % 3]), ring[ix(f[k])].push_back(f[(k + 2) % 3]);
    for (auto& r : ring) {
        std::sort(r.begin(), r.end());
        r.erase(std::unique(r.begin(), r.end()), r.end());
    }
    std::vector<double> found;
    const std::size_t step = 1 + m.points.size() / 3000;
    for (std::size_t v = 0; v < m.points.size(); v += step) {
        std::vector<int> near{static_cast<int>(v)};
        near.insert(near.end(), ring[v].begin(), ring[v].end());
        for (int k : ring[v]) near.insert(near.end(), ring[ix(k)].begin(), ring[ix(k)].end());
        std::sort(near.begin(), near.end());
        near.erase(std::unique(near.begin(), near.end()), near.end());
        if (near.size() < 12) continue;
        std::vector<Vec3> pts;
        for (int k : near) pts.push_back(m.points[ix(k)]);
        const auto plane = fit_plane(pts);
        if (!plane) continue;
        const Frame& frame = std::get<PlaneSurface>(plane->surface).frame;
        Eigen::MatrixXd a(static_cast<Eigen::Index>(pts.size()), 6);
        Eigen::VectorXd z(static_cast<Eigen::Index>(pts.size()));
        for (std::size_t i = 0; i < pts.size(); ++i) {
            const Vec3 q = frame.local(pts[i]);
            const auto r = static_cast<Eigen::Index>(i);
            a.row(r) << 1, q.x(), q.y(), q.x() * q.x(), q.x() * q.y(), q.y() * q.y();
            z[r] = q.z();
        }
        const Eigen::VectorXd x = least_squares(a, z).x;
        found.push_back(std::sqrt((a * x - z).squaredNorm() / static_cast<double>(pts.size() - 6)));
    }
    if (found.empty()) return 0;
    const auto at = found.begin() + static_cast<std::ptrdiff_t>(found.size() / 3);
    std::nth_element(found.begin(), at, found.end());
    return *at;
}

}  // namespace

FacetRegions facet_regions(const FacetMesh& mesh) {
    FacetRegions out;
    Box3 box;
    for (const Vec3& p : mesh.points) box.extend(p);
    // Corners in single precision, far from the origin, are that much off.
    const double farthest = std::max(box.min().cwiseAbs().maxCoeff(), box.max().cwiseAbs().maxCoeff());
    const double size = std::max(box.diagonal().norm(), 0.15 * farthest);
    out.side = mean_side(mesh);
    Recognition clean(mesh, 0, size);
    clean.run();
    constexpr double enough = 0.6;
    if (clean.explained() < enough) {
        out.noise = scatter(mesh);
        if (out.noise > 2e-6 * size) {
            Recognition scanned(mesh, out.noise, size);
            scanned.run();
            out.regions = scanned.result();
            return out;
        }
        out.noise = 0;
    }
    out.regions = clean.result();
    return out;
}

}  // namespace halvo
