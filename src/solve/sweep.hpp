#pragma once
/// Bodies that one of their plane faces sweeps out, moved along a line or turned about an axis, and solid elements in them.

#include <halvo/assembly.hpp>

namespace halvo {

struct Sweep {
    FaceId cap;
    Vec3 direction = Vec3::UnitZ();  ///< into the body, square to the cap
    double length = 0;               ///< that the cap is moved by; 0 where it is turned
    Vec3 centre = Vec3::Zero();      ///< a point of the axis that it is turned about
    Vec3 axis = Vec3::UnitZ();       ///< turning into the body about it
    double angle = 0;                ///< (rad)
    double way = 0;                  ///< length of the middle of the cap's way
    [[nodiscard]] Vec3 moved(const Vec3& p, double share) const;
    [[nodiscard]] std::string words() const;
};

/// The sweep with the shortest way; nothing where there is none.
[[nodiscard]] std::optional<Sweep> sweep_of(const Body& body);

/// Corners as SolidPart::nodes; with plane sides exact.
[[nodiscard]] double hexahedron_volume(const std::array<Vec3, 8>& corners);

struct SolidMesh {
    std::vector<Vec3> nodes;
    std::vector<std::array<std::int32_t, 8>> solids;  ///< as SolidPart::nodes
    double volume = 0;
};
/// Quads of about `size` on the cap, taken along in `layers`.
[[nodiscard]] SolidMesh swept(const Body& body, const Sweep& sweep, double size, int layers);

}  // namespace halvo
