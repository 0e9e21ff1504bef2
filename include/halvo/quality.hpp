#pragma once
/// How well shaped the elements are.

#include <halvo/ledger.hpp>
#include <halvo/mesh.hpp>

namespace halvo {

/// Measures of one shell element. Scaled Jacobian, aspect and taper are ratios, angles are degrees.
struct ElementMeasures {
    double scaled_jacobian = 1;  ///< least corner value (Stimpson et al., The Verdict library, SAND2007-1751)
    double aspect = 1;           ///< longest over shortest edge
    double warpage = 0;          ///< angle between both halves of a quad, the larger of the two ways to halve it
    double skew = 0;             ///< 90 minus the smallest angle between lines through the middles of opposite edges; of triangles:
                                 ///< between a median and the line through the middles of the edges it runs between (Robinson, 1987)
    double taper = 0;            ///< 1 minus the smallest corner triangle's area over the mean of all four (quads)
    double least_angle = 90, most_angle = 90;
    double shortest = 0, longest = 0;  ///< edges (mm)
};
[[nodiscard]] ElementMeasures measures(const Mesh& mesh, const Element& element);

/// Does an element of so many corners keep to every limit?
[[nodiscard]] bool within(const QualityLimits& limits, const ElementMeasures& measures, std::size_t corners);

/// One measure over the whole mesh.
struct MeasureSummary {
    std::string name, unit;
    double worst = 0, mean = 0, limit = 0;
    bool least = false;  ///< the limit is a least value
    int outside = 0;     ///< elements beyond the limit
    Vec3 place = Vec3::Zero();
    int element = -1;  ///< the worst one
};

/// The larger of the angles between both halves of a quad, cut along either diagonal (degrees).
[[nodiscard]] double quad_warpage(const std::array<Vec3, 4>& corners);

struct QualityReport {
    std::vector<MeasureSummary> measures;
    std::array<int, 10> histogram{};  ///< elements by scaled Jacobian, in tenths
    struct Poor {
        int element = -1;
        double scaled_jacobian = 0;
        Vec3 place = Vec3::Zero();
    };
    std::vector<Poor> worst;  ///< ten of the least scaled Jacobian, worst first
    double tria_share = 0;
    int outside = 0;  ///< elements beyond any limit
    int shells = 0;
};
[[nodiscard]] QualityReport assess(const Mesh& mesh, const QualityLimits& limits);

/// A finding for each measure that some element keeps not to.
[[nodiscard]] std::vector<Finding> quality_findings(const QualityReport& report, const QualityLimits& limits);

}  // namespace halvo
