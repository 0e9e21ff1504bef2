#pragma once
/// Opposed faces of thin regions, found by inward rays and grouped by their midsurface.

#include "body/prism.hpp"

namespace halvo {

/// One inward ray: from a point of `face` to where it leaves the material again.
struct Probe {
    int face = -1, opposite = -1;
    Vec3 point = Vec3::Zero();   ///< on the exact surface where that is known
    Vec3 normal = Vec3::Zero();  ///< outward
    double weight = 0;           ///< skin area the probe stands for
    double distance = 0;
    double facing = 0;  ///< minus the cosine between both outward normals: 1 when exactly opposed
};

/// Area-weighted inward rays from every face, in fixed order.
[[nodiscard]] std::vector<Probe> probe(const Body& body, double tol);

struct FacePair {
    int top = -1, bottom = -1;  ///< faces; top on the side of the chart's normal
    Plane top_plane, bottom_plane;
    double area = 0;  ///< where the two face each other
    double thickness = 0, thinnest = 0, thickest = 0;
    double width = 0;        ///< of the facing area, across
    std::vector<Vec3> seen;  ///< a few points half-way between both faces
};

/// All pairs with the same midsurface and about the same thickness.
struct Wall {
    Frame chart;
    std::vector<FacePair> pairs;
    double area = 0, thickness = 0, thinnest = 0, thickest = 0, width = 0;
};

struct WallLimits {
    double thinnest = 0, thickest = std::numeric_limits<double>::infinity();
    double draft = 10 * pi / 180;
    double slimness = 0.4;
};

struct WallSearch {
    std::vector<Wall> walls;
    std::vector<Wall> outside;  ///< would be walls, but for the thickness limits
};

/// Walls of plane opposed faces.
[[nodiscard]] WallSearch find_walls(const Body& body, const std::vector<Probe>& probes, const WallLimits& limits, double tol);

/// How the body is built, from its walls, and the figures behind it.
struct Build {
    BodyClass kind = BodyClass::bulk;
    double thin_share = 0;  ///< skin in walls and rims over all skin
    double thinnest = 0, thickest = 0;
    std::string why;
    std::optional<Prism> prism;  ///< of slender bodies
};
struct Skin;
[[nodiscard]] Build classify(const Body& body, const Skin& skin, double slender, double flat, double tol);

}  // namespace halvo
