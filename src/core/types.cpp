#include <halvo/types.hpp>

#include <algorithm>
#include <cmath>

namespace halvo {

Frame Frame::with_z(const Vec3& origin, const Vec3& z) {
    Frame f;
    f.origin = origin;
    f.z = z.normalized();
    // The coordinate axis least aligned with z gives a well conditioned x.
    Eigen::Index least = 0;
    f.z.cwiseAbs().minCoeff(&least);
    f.x = Vec3::Unit(least).cross(f.z).normalized();
    f.y = f.z.cross(f.x);
    return f;
}

Frame Frame::with_zx(const Vec3& origin, const Vec3& z, const Vec3& x_hint) {
    Frame f;
    f.origin = origin;
    f.z = z.normalized();
    const Vec3 x = x_hint - x_hint.dot(f.z) * f.z;
    if (x.norm() < 1e-9 * std::max(1.0, x_hint.norm())) return with_z(origin, z);
    f.x = x.normalized();
    f.y = f.z.cross(f.x);
    return f;
}

Tolerance Tolerance::for_size(double diagonal) {
    Tolerance t;
    t.point = std::clamp(1e-7 * diagonal, 1e-6, 1e-2);
    t.angle = 1e-5;
    t.chord = std::clamp(1e-4 * diagonal, 1e-3, 1.0);
    return t;
}

}  // namespace halvo
