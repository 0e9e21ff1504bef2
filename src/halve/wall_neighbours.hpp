#pragma once
/// Which walls of a body may meet, run beside each other, or go on smoothly in each other.

#include "halve/wall_surface.hpp"

#include <set>

namespace halvo {

/// Faces that say which walls a wall goes on in smoothly: those of a ridge meet sharply, each part of another wall.
[[nodiscard]] std::set<int> going_on(const WallSurface& w);

/// Fills `near`, `beside` and `smooth` of every wall.
void find_neighbours(const Skin& skin, std::vector<WallSurface>& walls);

/// Material at the point of wall `i` that is not this wall's: it does not fill the wall's thickness, or it belongs to a parallel
/// wall of another thickness beside it.
[[nodiscard]] bool foreign(const Body& body, const std::vector<WallSurface>& walls, std::size_t i, const Vec3& p, double tol);

[[nodiscard]] Box3 widened(Box3 b, double by);

/// Do two walls both go on smoothly in a third one near a place? Then they do not meet behind it.
[[nodiscard]] bool bend_between(const std::vector<WallSurface>& walls, std::size_t i, std::size_t j, const Vec3& at);

/// Walls that may cross wall `i` near a point of it. Their boxes alone would say more of how the part stands.
[[nodiscard]] std::vector<std::size_t> near_at(const std::vector<WallSurface>& walls, std::size_t i, const Vec3& p);

/// Corners of moulded and pressed parts: is all that a bent wall's faces border on a face of a wall that it goes on smoothly in?
[[nodiscard]] bool goes_on_all_round(const Skin& skin, const std::vector<WallSurface>& walls, std::size_t i);
/// The same of one with a free midsurface, as CAD fills corners with.
[[nodiscard]] bool fills_corner(const Skin& skin, const std::vector<WallSurface>& walls, std::size_t i);

}  // namespace halvo
