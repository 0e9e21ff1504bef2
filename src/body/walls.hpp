#pragma once
/// Inward rays through a body, and what they say of how it is built.

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

struct WallLimits {
    double thinnest = 0, thickest = std::numeric_limits<double>::infinity();
    double draft = 10 * pi / 180;
    double slimness = 0.4;
    bool merge_steps = true;  ///< walls that hang together through a step in thickness are one
};

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
