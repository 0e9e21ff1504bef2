#include <halvo/quality.hpp>

#include "core/keys.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

double degrees(const Vec3& a, const Vec3& b) {
    return std::atan2(a.cross(b).norm(), a.dot(b)) * 180 / pi;
}

// 90 degrees less the sharper angle between two lines.
double off_square(const Vec3& a, const Vec3& b) {
    const double angle = degrees(a, b);
    return 90 - std::min(angle, 180 - angle);
}

struct Measure {
    const char *name, *unit;
    double QualityLimits::*limit;  // null: none
    bool least;
    std::size_t corners;  // 0: any element
    double (*of)(const ElementMeasures&);

    [[nodiscard]] bool applies(std::size_t n) const { return corners == 0 || corners == n; }
    [[nodiscard]] double limit_of(const QualityLimits& limits) const { return limit ? limits.*limit : 0; }
    [[nodiscard]] bool outside(const QualityLimits& limits, double v) const {
        const double l = limit_of(limits);
        return l > 0 && (least ? v < l * (1 - 1e-9) : v > l * (1 + 1e-9));
    }
};

constexpr std::array<Measure, 11> all_measures{{
    {"scaled Jacobian", "", &QualityLimits::scaled_jacobian, true, 0, [](const ElementMeasures& m) { return m.scaled_jacobian; }},
    {"aspect ratio", "", &QualityLimits::aspect, false, 0, [](const ElementMeasures& m) { return m.aspect; }},
    {"warpage", "degree", &QualityLimits::warpage, false, 4, [](const ElementMeasures& m) { return m.warpage; }},
    {"skew", "degree", &QualityLimits::skew, false, 0, [](const ElementMeasures& m) { return m.skew; }},
    {"taper", "", &QualityLimits::taper, false, 4, [](const ElementMeasures& m) { return m.taper; }},
    {"smallest quad angle", "degree", &QualityLimits::least_quad_angle, true, 4, [](const ElementMeasures& m) { return m.least_angle; }},
    {"largest quad angle", "degree", &QualityLimits::most_quad_angle, false, 4, [](const ElementMeasures& m) { return m.most_angle; }},
    {"smallest tria angle", "degree", &QualityLimits::least_tria_angle, true, 3, [](const ElementMeasures& m) { return m.least_angle; }},
    {"largest tria angle", "degree", &QualityLimits::most_tria_angle, false, 3, [](const ElementMeasures& m) { return m.most_angle; }},
    {"shortest edge", "mm", nullptr, true, 0, [](const ElementMeasures& m) { return m.shortest; }},
    {"longest edge", "mm", nullptr, false, 0, [](const ElementMeasures& m) { return m.longest; }},
}};

}  // namespace

double quad_warpage(const std::array<Vec3, 4>& p) {
    double worst = 0;
    for (std::size_t k : {0U, 1U}) {
        const Vec3 &a = p[k], &b = p[k + 1], &c = p[(k + 2) % 4], &d = p[(k + 3) % 4];
        worst = std::max(worst, degrees((b - a).cross(c - a), (c - a).cross(d - a)));
    }
    return worst;
}

ElementMeasures measures(const Mesh& mesh, const Element& e) {
    ElementMeasures m;
    const std::size_t n = e.count;
    std::array<Vec3, 4> p;
    for (std::size_t k = 0; k < n; ++k) p[k] = mesh.nodes[static_cast<std::size_t>(e.nodes[k])];
    m.scaled_jacobian = e.quality;
    m.shortest = std::numeric_limits<double>::max(), m.least_angle = 180, m.most_angle = 0;
    for (std::size_t k = 0; k < n; ++k) {
        const Vec3 next = p[(k + 1) % n] - p[k], back = p[(k + n - 1) % n] - p[k];
        m.shortest = std::min(m.shortest, next.norm()), m.longest = std::max(m.longest, next.norm());
        const double angle = degrees(next, back);
        m.least_angle = std::min(m.least_angle, angle), m.most_angle = std::max(m.most_angle, angle);
    }
    m.aspect = m.shortest > 0 ? m.longest / m.shortest : std::numeric_limits<double>::infinity();
    if (n == 4) {
        m.warpage = quad_warpage(p);
        m.skew = off_square(p[1] + p[2] - p[0] - p[3], p[2] + p[3] - p[0] - p[1]);
        double least = std::numeric_limits<double>::max(), sum = 0;
        for (std::size_t k = 0; k < 4; ++k) {
            const double area = (p[(k + 1) % 4] - p[k]).cross(p[(k + 3) % 4] - p[k]).norm();
            least = std::min(least, area), sum += area;
        }
        m.taper = sum > 0 ? 1 - 4 * least / sum : 1;
    } else {
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec3 &a = p[k], &b = p[(k + 1) % 3], &c = p[(k + 2) % 3];
            m.skew = std::max(m.skew, off_square(0.5 * (b + c) - a, c - b));  // the line through the other edges' middles runs along b to c
        }
    }
    return m;
}

bool within(const QualityLimits& limits, const ElementMeasures& m, std::size_t corners) {
    return std::none_of(all_measures.begin(), all_measures.end(), [&](const Measure& k) { return k.applies(corners) && k.outside(limits, k.of(m)); });
}

QualityReport assess(const Mesh& mesh, const QualityLimits& limits) {
    QualityReport out;
    for (const Measure& m : all_measures) out.measures.push_back({m.name, m.unit, 0, 0, m.limit_of(limits), m.least, 0, Vec3::Zero(), -1});
    std::vector<int> counted(all_measures.size(), 0);
    int trias = 0;
    for (std::size_t i = 0; i < mesh.elements.size(); ++i) {
        const Element& e = mesh.elements[i];
        if (e.kind != ElementKind::shell) continue;
        ++out.shells, trias += e.count == 3 ? 1 : 0;
        const ElementMeasures m = measures(mesh, e);
        Vec3 centre = Vec3::Zero();
        for (std::size_t k = 0; k < e.count; ++k) centre += mesh.nodes[static_cast<std::size_t>(e.nodes[k])] / e.count;
        bool beyond = false;
        for (std::size_t k = 0; k < all_measures.size(); ++k) {
            if (!all_measures[k].applies(e.count)) continue;
            MeasureSummary& s = out.measures[k];
            const double v = all_measures[k].of(m);
            s.mean += v, ++counted[k];
            if (s.element < 0 || (s.least ? v < s.worst : v > s.worst)) s.worst = v, s.place = centre, s.element = static_cast<int>(i);
            const bool outside = all_measures[k].outside(limits, v);
            s.outside += outside ? 1 : 0, beyond = beyond || outside;
        }
        out.outside += beyond ? 1 : 0;
        ++out.histogram[static_cast<std::size_t>(std::clamp(m.scaled_jacobian * 10, 0.0, 9.0))];
        out.worst.push_back({static_cast<int>(i), m.scaled_jacobian, centre});
    }
    for (std::size_t k = 0; k < all_measures.size(); ++k) out.measures[k].mean /= std::max(counted[k], 1);
    std::erase_if(out.measures, [](const MeasureSummary& s) { return s.element < 0; });
    const std::size_t shown = std::min<std::size_t>(10, out.worst.size());
    std::partial_sort(out.worst.begin(), out.worst.begin() + static_cast<std::ptrdiff_t>(shown), out.worst.end(), [](const auto& a, const auto& b) {
        return a.scaled_jacobian < b.scaled_jacobian || (a.scaled_jacobian == b.scaled_jacobian && a.element < b.element);
    });
    out.worst.resize(shown);
    out.tria_share = out.shells > 0 ? static_cast<double>(trias) / out.shells : 0;
    return out;
}

std::vector<Finding> quality_findings(const QualityReport& report, const QualityLimits& limits) {
    std::vector<Finding> out;
    for (const MeasureSummary& m : report.measures)
        if (m.outside > 0)
            out.push_back({make_key("finding", "mesh " + m.name, {}), FindingKind::mesh_outside_its_limits,
                           fmt::format("{} {} of {} element(s) {} {:g}{}{}: {:.3g} at worst", m.name, m.least ? "below" : "above", m.outside,
                                       m.least ? "the least" : "the most", m.limit, m.unit.empty() ? "" : " ", m.unit, m.worst),
                           "a smaller mesh.size there mends most; halvo list MODEL quality names the worst", m.place, 0, ""});
    if (limits.tria_share > 0 && report.tria_share > limits.tria_share)
        out.push_back({make_key("finding", "mesh trias", {}), FindingKind::mesh_outside_its_limits,
                       fmt::format("{:.1f} % of the shells are triangles (limit {:g} %)", 100 * report.tria_share, 100 * limits.tria_share),
                       "try a smaller mesh.size", Vec3::Zero(), 0, ""});
    return out;
}

}  // namespace halvo
