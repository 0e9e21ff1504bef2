#pragma once
/// Points, placements, curves and surfaces of ISO 10303-42 as Halvo keeps them.

#include "geom/spline_curve.hpp"
#include "io/exchange_file.hpp"

#include <halvo/geometry.hpp>

#include <map>
#include <variant>

namespace halvo::io {

/// Factors of a representation's context.
struct StepUnits {
    double length = 1;  ///< mm to one of the file's units
    double angle = 1;   ///< radians to one
};

/// A curve without its ends; lines have a unit direction.
using StepCurve = std::variant<LineCurve, CircleCurve, EllipseCurve, SplineCurve>;

/// Reads geometry by the numbers of its instances; what it does not know is NotUnderstood. Of one body, in one thread.
class StepGeometry {
public:
    StepGeometry(const ExchangeFile& file, const StepUnits& units) : file_(file), units_(units) {}

    [[nodiscard]] Vec3 point(std::uint64_t id) const;
    [[nodiscard]] Vec3 direction(std::uint64_t id) const;
    [[nodiscard]] Frame placement(std::uint64_t id) const;
    [[nodiscard]] StepCurve curve(std::uint64_t id, int depth = 0) const;
    /// The surface; those that sweep a curve without end are made as long as it takes to hold `points`. Spline surfaces of one content
    /// are one object.
    [[nodiscard]] Surface surface(std::uint64_t id, const std::vector<Vec3>& points);
    /// What a swept surface is swept of and how, the same for all that are one surface; nothing for surfaces of other kinds.
    [[nodiscard]] std::vector<double> sweep(std::uint64_t id) const;

private:
    [[nodiscard]] SplineCurve spline_curve(std::uint64_t id) const;
    [[nodiscard]] NurbsSurface spline_surface(std::uint64_t id) const;
    [[nodiscard]] NurbsSurface swept_along(std::uint64_t id, const std::vector<Vec3>& points) const;
    [[nodiscard]] NurbsSurface turned_about(std::uint64_t id, const std::vector<Vec3>& points) const;
    [[nodiscard]] Surface kept(NurbsSurface s);

    const ExchangeFile& file_;
    StepUnits units_;
    std::multimap<std::size_t, std::shared_ptr<const NurbsSurface>> splines_;  // by a hash of their content
};

/// The piece of a curve from one point to another in the sense of its parameter; closed where both are one (by identity, not by distance).
[[nodiscard]] Curve piece_of(const StepCurve& c, const Vec3& from, const Vec3& to, bool closed, double chord);

}  // namespace halvo::io
