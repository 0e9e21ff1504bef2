#pragma once
/// The line that a profile is carried along.

#include <halvo/geometry.hpp>

namespace halvo {

/// Straight pieces, arcs and splines (cubics through points), each going on smoothly from the one before. Positions are arc lengths from
/// the start (mm); before the start and past the end the axis runs on straight. The section axes turn with the line about each arc's own
/// axis, and along splines without turning about the line (double reflection, W. Wang et al., 2008).
class Axis {
public:
    Axis() = default;
    /// `start` has its origin at the start, z along the line, x and y the section axes. Pieces run one after the other.
    Axis(const Frame& start, std::vector<Curve> pieces);
    [[nodiscard]] static Axis straight(const Frame& start, double length);

    [[nodiscard]] double length() const { return at_.empty() ? 0 : at_.back(); }
    [[nodiscard]] bool is_straight() const { return pieces_.size() == 1 && pieces_[0].is_line(); }
    /// Does it end where it starts?
    [[nodiscard]] bool closed(double tol) const { return !pieces_.empty() && (at(0) - at(length())).norm() <= tol && length() > 4 * tol; }
    [[nodiscard]] const std::vector<Curve>& pieces() const { return pieces_; }
    [[nodiscard]] Vec3 at(double s) const { return frame(s).origin; }
    [[nodiscard]] Vec3 direction(double s) const { return frame(s).z; }
    /// Origin on the line, z along it, x and y the section axes there.
    [[nodiscard]] Frame frame(double s) const;
    /// Position of the point of the line nearest to `p`.
    [[nodiscard]] double parameter(const Vec3& p) const;
    /// The line from `a` to `b`, moved by `shift` along the section axes: one curve a piece. Arcs stay arcs.
    [[nodiscard]] std::vector<Curve> between(double a, double b, const Vec2& shift = Vec2::Zero()) const;
    [[nodiscard]] Axis moved(const Eigen::Isometry3d& m) const;
    /// The same line run from its end, the section axes turned half round the second of them.
    [[nodiscard]] Axis reversed() const;

private:
    [[nodiscard]] Frame carried(std::size_t piece, double t) const;

    std::vector<Curve> pieces_;
    std::vector<Frame> frames_;              // at the start of each piece, and at the end of the last
    std::vector<std::vector<Frame>> inner_;  // of splines: at each of their points
    std::vector<double> at_;                 // arc length at the start of each piece, and at the end of the last
};

}  // namespace halvo
