#pragma once
/// Shared small types: vectors, frames, typed ids, tolerances, errors, progress.
/// Lengths are millimetres everywhere inside Halvo; angles are radians.

#include <Eigen/Core>
#include <Eigen/Geometry>

#include <compare>
#include <cstdint>
#include <functional>
#include <limits>
#include <stdexcept>
#include <string>
#include <vector>

namespace halvo {

using Vec2 = Eigen::Vector2d;
using Vec3 = Eigen::Vector3d;
using Box2 = Eigen::AlignedBox2d;
using Box3 = Eigen::AlignedBox3d;

inline constexpr double pi = 3.14159265358979323846;

/// Index into one of the flat arrays of an Assembly, Model or Mesh; the tag keeps kinds apart.
template <class Tag>
struct Id {
    std::int32_t value = -1;
    constexpr Id() = default;
    constexpr explicit Id(std::int32_t v) : value(v) {}
    constexpr explicit Id(std::size_t v) : value(static_cast<std::int32_t>(v)) {}
    constexpr explicit operator bool() const { return value >= 0; }
    [[nodiscard]] constexpr std::size_t index() const { return static_cast<std::size_t>(value); }
    friend constexpr auto operator<=>(Id, Id) = default;
};

using BodyId = Id<struct BodyTag>;
using FaceId = Id<struct FaceTag>;
using BodyEdgeId = Id<struct BodyEdgeTag>;
using VertexId = Id<struct VertexTag>;
using EdgeId = Id<struct EdgeTag>;
using SheetId = Id<struct SheetTag>;
using MemberId = Id<struct MemberTag>;
using SectionId = Id<struct SectionTag>;
using JointId = Id<struct JointTag>;
using NodeId = Id<struct NodeTag>;

/// Right-handed orthonormal frame. For planes z is the normal; for axes z runs along the axis.
struct Frame {
    Vec3 origin = Vec3::Zero();
    Vec3 x = Vec3::UnitX();
    Vec3 y = Vec3::UnitY();
    Vec3 z = Vec3::UnitZ();

    [[nodiscard]] Vec3 at(double u, double v, double w = 0) const { return origin + u * x + v * y + w * z; }
    [[nodiscard]] Vec3 at(const Vec2& p) const { return at(p.x(), p.y()); }
    [[nodiscard]] Vec3 local(const Vec3& p) const {
        const Vec3 d = p - origin;
        return {d.dot(x), d.dot(y), d.dot(z)};
    }
    [[nodiscard]] Vec2 local2(const Vec3& p) const {
        const Vec3 d = p - origin;
        return {d.dot(x), d.dot(y)};
    }
    /// Signed distance of `p` from the plane z = 0 of this frame.
    [[nodiscard]] double height(const Vec3& p) const { return (p - origin).dot(z); }
    [[nodiscard]] static Frame with_z(const Vec3& origin, const Vec3& z);
    [[nodiscard]] static Frame with_zx(const Vec3& origin, const Vec3& z, const Vec3& x_hint);
};

/// One tolerance object per input, made from its size; passed along, never a literal in the middle of a function.
struct Tolerance {
    double point = 1e-5;  ///< points closer than this are one point (mm)
    double angle = 1e-5;  ///< directions closer than this are parallel (sine of the angle)
    double chord = 0.01;  ///< chord error of facets and of drawn curves (mm)
    [[nodiscard]] static Tolerance for_size(double diagonal);
};

/// What kind of trouble an Error is; the command line maps it to its exit code.
enum class ErrorKind { usage, input, stage, cancelled };

/// Every failure Halvo reports: one line that says what, where, and what to do.
class Error : public std::runtime_error {
public:
    Error(ErrorKind kind, const std::string& message) : std::runtime_error(message), kind_(kind) {}
    [[nodiscard]] ErrorKind kind() const { return kind_; }

private:
    ErrorKind kind_;
};

/// The one interface by which a stage reports progress and learns that it should stop.
/// `report` gets the stage's name and the share done (0..1); `cancelled` is polled between units of work.
struct Observer {
    std::function<void(const char* stage, double share)> report;
    std::function<bool()> cancelled;
    void tell(const char* stage, double share) const {
        if (cancelled && cancelled()) throw Error(ErrorKind::cancelled, "stopped on request; nothing was written");
        if (report) report(stage, share);
    }
};

}  // namespace halvo
