#pragma once
/// Shapes beyond the plain ones: turned, rounded and freeform solids, parts with planted defects, scans. Test data only.

#include "shapes.hpp"

#include <halvo/assembly.hpp>

#include <array>
#include <functional>

namespace make {

/// Profile loops in the plane z = 0 turned about the line through `on` along `axis` (both in that plane) by `angle`.
[[nodiscard]] Solid revolve(const std::vector<std::vector<Curve>>& loops, const Vec3& on, const Vec3& axis, double angle);
/// Profile loops in the plane z = 0 carried along a spline through points, its origin on the spline, turning with it; `x` is where the
/// profile's x axis points at the start. `closed` joins the last point to the first. With `upright` the profile keeps its angle to that
/// direction, as the flight of a screw does to its axis.
[[nodiscard]] Solid sweep(const std::vector<std::vector<Curve>>& loops, const std::vector<Vec3>& points, const Vec3& x, bool closed = false,
                          const Vec3& upright = Vec3::Zero());
/// Skin through closed loops, each given where it lies in space, ruled between neighbours or smooth over all of them.
[[nodiscard]] Solid loft(const std::vector<std::vector<Curve>>& loops, bool ruled);
/// Edges whose middle `pick` takes get a round of `radius`.
[[nodiscard]] Solid rounded_edges(const Solid& s, double radius, const std::function<bool(const Vec3& middle)>& pick);
/// Between a smooth surface through heights on a grid (spacing `step`) and the same surface lower by `thickness`.
[[nodiscard]] Solid panel(const std::vector<std::vector<double>>& heights, double step, double thickness);
/// The face's shape carried as a spline instead of a plain surface.
[[nodiscard]] Solid as_splines(const Solid& s);

/// Faces are counted from 0 in the order of the kernel's explorer.
[[nodiscard]] int face_count(const Solid& s);
[[nodiscard]] Vec3 face_middle(const Solid& s, int face);
/// Face whose middle is nearest to a point.
[[nodiscard]] int face_at(const Solid& s, const Vec3& p);
[[nodiscard]] Solid without_face(const Solid& s, int face);
/// The face once more, with edges of its own.
[[nodiscard]] Solid with_doubled_face(const Solid& s, int face);
[[nodiscard]] Solid with_turned_face(const Solid& s, int face);
/// The face has copies of its edges, moved by `gap`: geometrically in place, but not connected.
[[nodiscard]] Solid with_loose_face(const Solid& s, int face, const Vec3& gap = Vec3::Zero());
/// All faces apart from each other, no shell.
[[nodiscard]] Solid as_loose_faces(const Solid& s);
/// The same, the border of each plane face drawn in by half a `gap`.
[[nodiscard]] Solid as_faces_with_gaps(const Solid& s, double gap);
/// What is left of a solid without some faces, edges shared.
[[nodiscard]] Solid without_faces(const Solid& s, const std::function<bool(const Vec3& middle)>& pick);
[[nodiscard]] Solid inside_out(const Solid& s);
/// One solid whose skin is those of both, whether they cross or not.
[[nodiscard]] Solid in_one_skin(const Solid& a, const Solid& b);

/// `solid` true writes solids, false trimmed surfaces. `unit` is "MM", "INCH" or "M".
void write_iges(const std::string& file, const std::vector<Item>& items, bool solid, const std::string& unit = "MM");

struct Facets {
    std::string name;
    std::vector<Vec3> points;
    std::vector<std::array<int, 3>> facets;
};
/// Facets of about `spacing` on a body of planes and cylinders, corners on its surfaces and shared between faces, then each
/// moved along its normal by a normal deviate of `noise`.
[[nodiscard]] Facets scan(const halvo::Body& body, double spacing, double noise, unsigned seed = 1);
/// The kernel's own tessellation: corners on the surfaces, at most `chord` off, turning by at most `angle` a step.
[[nodiscard]] Facets tessellated(const Solid& s, double chord, double angle);
void write_stl(const std::string& file, const std::vector<Facets>& parts, bool binary);
void write_obj(const std::string& file, const std::vector<Facets>& parts);
/// `form` is "ascii", "binary_little_endian" or "binary_big_endian".
void write_ply(const std::string& file, const Facets& part, const std::string& form);

}  // namespace make
