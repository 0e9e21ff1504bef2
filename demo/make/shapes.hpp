#pragma once
/// Builds solids for the demo, the tests and the benchmarks with the CAD kernel's modelling functions and writes them as STEP.
/// Test data only: no part of the library uses this.

#include <halvo/geometry.hpp>

#include <memory>
#include <string>

namespace make {

using halvo::Curve;
using halvo::Vec2;
using halvo::Vec3;

/// A kernel shape behind a pointer, so that users need none of its headers.
struct Solid {
    std::shared_ptr<void> shape;
};

[[nodiscard]] Solid box(const Vec3& corner, const Vec3& size);
[[nodiscard]] Solid cylinder(const Vec3& base, const Vec3& axis, double radius, double height);
[[nodiscard]] Solid ball(const Vec3& centre, double radius);
/// Profile loops in the plane z = 0 (outer first), extruded along +z by `height`.
[[nodiscard]] Solid extrude(const std::vector<std::vector<Curve>>& loops, double height);
/// Frustum of a polygon: bottom at z = 0, top at z = height (same number of corners), ruled between.
[[nodiscard]] Solid taper(const std::vector<Vec2>& bottom, const std::vector<Vec2>& top, double height);
[[nodiscard]] Solid fuse(const std::vector<Solid>& parts);
[[nodiscard]] Solid cut(const Solid& body, const std::vector<Solid>& tools);
/// Coplanar faces that a fuse left in pieces become one face.
[[nodiscard]] Solid unify(const Solid& body);
[[nodiscard]] Solid moved(const Solid& s, const Eigen::Isometry3d& m);
/// The faces of every solid in another order, by a fixed pseudo-random permutation.
[[nodiscard]] Solid shuffled(const Solid& s, unsigned seed);
/// One face taken out: an open shell.
[[nodiscard]] Solid opened(const Solid& s);

[[nodiscard]] double volume(const Solid& s);
[[nodiscard]] double area(const Solid& s);

/// Profiles about the origin, loops as `extrude` and halvo::section_of_profile take them.
[[nodiscard]] std::vector<Curve> polygon(const std::vector<Vec2>& corners);
[[nodiscard]] std::vector<Curve> circle(double radius, const Vec2& centre = {0, 0});
[[nodiscard]] std::vector<Curve> reversed(const std::vector<Curve>& loop);
/// Corner i of a closed polygon rounded by radius[i] (0 keeps it sharp).
[[nodiscard]] std::vector<Curve> rounded(const std::vector<Vec2>& corners, const std::vector<double>& radius);
[[nodiscard]] std::vector<std::vector<Curve>> tube(double diameter, double thickness);
[[nodiscard]] std::vector<std::vector<Curve>> rectangular_tube(double width, double height, double thickness, double corner);

/// Placement that takes +z to `axis` and +x towards `x`, origin to `at`.
[[nodiscard]] Eigen::Isometry3d place(const Vec3& at, const Vec3& axis = Vec3::UnitZ(), const Vec3& x = Vec3::UnitX());

struct Item {
    std::string name;
    Solid solid;
    std::array<double, 3> colour{0.62, 0.66, 0.70};
};
/// Writes an assembly with one product per item. `unit` is "MM", "INCH" or "M"; `schema` "AP203", "AP214IS" or "AP242DIS".
void write_step(const std::string& file, const std::vector<Item>& items, const std::string& unit = "MM", const std::string& schema = "AP214IS");

/// Writes one product placed several times in an assembly of that name.
void write_step_assembly(const std::string& file, const std::string& name, const Item& part, const std::vector<Eigen::Isometry3d>& places);

/// Seconds the kernel's reader alone needs for a STEP file; the yardstick of the benchmarks.
[[nodiscard]] double kernel_read_seconds(const std::string& file);
/// Seconds the kernel needs to parse it alone, where the rest would take it minutes.
[[nodiscard]] double kernel_parse_seconds(const std::string& file);

}  // namespace make
