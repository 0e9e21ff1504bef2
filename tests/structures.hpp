#pragma once
/// Welded and assembled structures of many bodies, with what is known of their joints.
#include "support.hpp"

namespace test {

using Items = std::vector<make::Item>;

[[nodiscard]] Items moved(Items items, const Eigen::Isometry3d& m = anywhere());
/// Rectangular tube `depth` high (along `up`) and `width` wide between two points.
[[nodiscard]] make::Item bar(const std::string& name, const Vec3& from, const Vec3& to, double width, double depth, double wall, const Vec3& up);
/// A profile carried along straight lengths and bends, from `at` along `along` with its x axis towards `x`. A bend turns by `angle`
/// about a line `radius` away from the profile's origin, in the direction `roll` (angle from the profile's x towards its y).
struct Move {
    double length = 0;
    double radius = 0, angle = 0, roll = 0;
};
[[nodiscard]] make::Item bent(const std::string& name, const std::vector<std::vector<Curve>>& profile, const std::vector<Move>& moves, const Vec3& at,
                              const Vec3& along, const Vec3& x);
/// Base, web and flange of 8, 6 and 8 mm, each standing `gap` off the other.
[[nodiscard]] Items three_plates(double gap);
/// 24 tubes 40 x 40 x 3 cut square that stop up to 3 mm short of each other (4 posts, 2 rings of 4, 12 cross bars on the upper
/// ring's level), and a deck of 5 mm on top.
[[nodiscard]] Items welded_frame();
/// A plate of 4 mm with two hat stiffeners of 2 mm lying on it with their flanges.
[[nodiscard]] Items hats_on_plate();
/// Deck of 6 mm on 5 x 5 posts of square tube.
[[nodiscard]] Items deck_on_posts();
/// Half a tube of radius 400 as a hood of 3 mm, with three straight rails of 40 x 30 x 3 along its outside.
[[nodiscard]] Items hood_with_rails();
/// Six tubes that meet in one place, their axes missing it by up to 1 mm each.
[[nodiscard]] Items six_at_a_node();
/// A pipe of radius 100 and a half sleeve of 4 mm lying on it over 200 mm of its length.
[[nodiscard]] Items pipe_with_saddle();
/// Plates of 6 mm, one standing 0.3 mm deep in the other.
[[nodiscard]] Items overlapping_tee();
/// A rolled column of 3 m and a beam of 4 m, bolted together by an end plate of 420 mm; base plate, web stiffeners; bolts left out or not.
[[nodiscard]] Items portal(bool bolts);
/// An I of `height` by `width`, web and flanges as thick, with fillets of 12 mm, about the origin with its web along y.
[[nodiscard]] std::vector<Curve> rolled(double height, double width, double web, double flange);
/// A grid of `cells` x `cells` cells: plates on edge both ways and tubes standing at their corners.
[[nodiscard]] Items grid(int cells);

}  // namespace test
