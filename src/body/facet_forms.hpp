#pragma once
/// The facets of a skin, the regions they are given to, and how they lie on plain forms. What grows the regions and settles them builds on it.

#include "body/facet_mesh.hpp"
#include "geom/fit.hpp"

#include <map>
#include <set>

namespace halvo {

/// Facets on one surface.
struct GrownRegion {
    Surface surface;
    std::vector<int> facets;
    double area = 0, rms = 0;
};

/// Facets, regions, and fits of plain forms to them. `noise`: scatter of the corners, 0 for a clean tessellation; `size` of the body (mm).
class FacetForms {
public:
    /// Share of the skin that is of regions with enough to show for them.
    [[nodiscard]] double explained() const;

protected:
    FacetForms(const FacetMesh& m, double noise, double size);

    static constexpr double sharp = 35 * pi / 180;        // a larger turn between facets is an edge
    static constexpr double plane_turn = 12 * pi / 180;   // facets of a region turn from its surface by no more than this
    static constexpr double curved_turn = 25 * pi / 180;  // half a step of a coarse tessellation
    static constexpr double least_span = 8 * pi / 180;    // a curved region turns by more in all
    static constexpr double reach = 3.5;                  // times the scatter
    static constexpr double mostly = 0.5;                 // share of the skin that shows how exact its corners are
    static constexpr double clean_form = 1;               // times what a clean tessellation may be off: splines only come near other forms
    // Of the body's size: what corners of a clean tessellation are off in single precision, and what they may be off forms that the
    // file's own surfaces only come near.
    static constexpr double tight_within = 1e-7, clean_within = 1e-5;

    // What hangs together within sharp edges.
    void find_groups();
    // Means of neighbouring normals, weighted by area and likeness.
    void smooth_normals();
    [[nodiscard]] double angle(std::size_t f, std::size_t g) const { return std::atan2(normal_[f].cross(normal_[g]).norm(), normal_[f].dot(normal_[g])); }
    std::optional<Fit> fitted(std::size_t kind, const std::vector<int>& facets, std::size_t most, bool rough = false);
    // Corners of an even share of facets, each once, with the normals there.
    std::pair<std::vector<Vec3>, std::vector<Vec3>> corners_of(const std::vector<int>& facets, std::size_t step);
    // Facets of a fine tessellation lean to all sides of a cone's own normals; at their corners these are known better.
    std::optional<Fit> cone_from_corners(const std::vector<int>& facets, std::size_t step);
    std::optional<Fit> torus(const std::vector<Vec3>& points, const std::vector<int>& facets, std::size_t step, const Effort& effort);
    // Of the quadric through a corner that comes nearest to its neighbours: facets' own normals tell too little of how a surface turns.
    Vec3 corner_normal(int corner, int group);
    const std::vector<int>& around(int corner);
    [[nodiscard]] bool fits(const Surface& s, std::size_t f, double limit) const;
    // How far the middles of a facet's sides stand off: on one tessellated surface about the same everywhere.
    [[nodiscard]] double facet_sag(const Surface& s, std::size_t f) const;
    // More than any facet of a region's own tessellation stands off.
    [[nodiscard]] double most_sag(const Surface& s, const std::vector<int>& facets) const;
    [[nodiscard]] bool even_steps(const Surface& s, const std::vector<int>& facets) const;
    [[nodiscard]] bool turns_in_steps(const std::vector<int>& facets) const;
    [[nodiscard]] std::vector<Vec3> distinct_normals(const std::vector<int>& facets, std::size_t most) const;
    // Three even steps of a clean tessellation, and half a step to what they go on in: a bend by a small angle, and no three flats.
    [[nodiscard]] bool short_bend(const std::vector<int>& facets) const;
    // Does the region turn enough, in enough steps, to be no plane?
    [[nodiscard]] bool curved_enough(const std::vector<int>& facets) const;
    // Fit to the part of a patch that goes best together, where some of it belongs to another surface (least trimmed squares,
    // Rousseeuw 1984, by concentration steps).
    std::optional<Fit> trimmed(std::size_t kind, std::vector<int> facets, int seed);
    [[nodiscard]] double rms(const Surface& s, const std::vector<int>& facets) const;
    [[nodiscard]] double cost(int region, std::size_t f) const;
    // Enough facets, or bounded by sharp edges: a lone facet is a plane of its own and explains nothing.
    [[nodiscard]] bool supported(std::size_t r) const;
    [[nodiscard]] std::vector<std::vector<int>> connected(std::vector<bool> wanted) const;
    // What no region has, in pieces that hang together within sharp edges.
    [[nodiscard]] std::vector<std::vector<int>> rests() const;
    // Regions that have a good share of it.
    [[nodiscard]] std::set<int> large_regions(const std::vector<int>& group) const;
    // Is most of it of a few large regions?
    [[nodiscard]] bool carried(const std::vector<int>& group, std::size_t few = 12) const;
    [[nodiscard]] std::set<int> regions_of(const std::vector<int>& group) const;
    [[nodiscard]] bool lies_on(const Surface& s, int region, std::size_t f, double limit) const;
    [[nodiscard]] bool same_surface(std::size_t region, const Surface& s, const std::vector<int>& facets) const;
    void refit(std::size_t r);
    // A row of facets between two borders, as on a rim, says nothing of how a surface runs between them.
    [[nodiscard]] bool has_inside(const std::vector<int>& group, std::size_t corners) const;

    const FacetMesh& m_;
    double noise_;
    bool clean_;
    bool tori_;  // tori are looked for
    double within_, loose_;
    std::vector<Vec3> normal_;
    std::vector<double> area_;
    std::vector<int> region_, group_;  // of each facet: the region it is given to, and what it hangs together with within sharp edges
    int groups_ = 0;
    std::vector<std::vector<int>> around_;  // facets at each corner
    std::map<std::pair<int, int>, Vec3> corner_normals_;
    std::vector<GrownRegion> regions_;
};

}  // namespace halvo
