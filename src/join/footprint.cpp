// Where the end of a member stands on a larger sheet.
#include "core/keys.hpp"
#include "geom/foot_curve.hpp"
#include "join/steps.hpp"
#include "model/profile_lines.hpp"

#include <algorithm>

namespace halvo {
namespace {

constexpr double most_of_footprint = 0.5;  // of its lines, that must lie clear of the sheet's border

// The place of a sheet's surface that is met from a point along a direction.
Vec3 along_to_sheet(const Sheet& sheet, const Vec3& p, const Vec3& d) {
    Vec3 q = p;
    for (int i = 0; i < (sheet.chart.flat() ? 1 : 20); ++i) q -= sheet.chart.height(q) / d.dot(sheet.chart.normal(q)) * d;
    return q;
}

// A line of a profile as it falls on a surface: a smooth curve through places of it.
template <class Project>
Curve projected(const Curve& c, const Project& project) {
    constexpr int n = 24;
    std::vector<Vec3> points, tangents;
    for (int k = 0; k <= n; ++k) {
        const double t = c.parameter_at(static_cast<double>(k) / n);
        const Vec3 p = c.point(t), d = c.derivative(t).normalized();
        points.push_back(project(p));
        tangents.push_back((project(p + d) - project(p)).normalized());
    }
    return Curve::polyline(std::move(points), std::move(tangents));
}

}  // namespace

void add_footprint(const Model& model, JoinWork& work, std::size_t m, std::size_t s, double at, const Vec3& x) {
    const Member& member = model.members[m];
    const Sheet& sheet = model.sheets[s];
    if (!member.section) return;
    const Frame f = work.members[m].axis.frame(at);
    const auto project = [&](const Vec3& p) { return along_to_sheet(sheet, f.at(p.x(), p.y()), f.z); };
    const std::vector<const Curve*> border = border_of(model, sheet);
    const auto clear = [&](const Vec3& p) {
        const auto far = [&](const Curve* c) { return (c->point(c->nearest(p)) - p).norm() > 0.5 * sheet.thickness.max; };
        return on_sheet(sheet, work.sheets[s], p, work.tol) && std::ranges::all_of(border, far);
    };
    std::vector<Curve> kept;
    double all = 0, clear_length = 0;
    for (const Curve& c : profile_lines(model.sections[member.section.index()])) {
        Curve foot = c.is_line() && sheet.chart.flat() ? Curve::segment(project(c.start()), project(c.end())) : projected(c, project);
        if (!sheet.chart.flat()) foot = foot_curve(sheet.chart, foot, work.tol);
        all += foot.length();
        bool free = true;
        for (int k = 0; k <= 8; ++k) free = free && clear(foot.point(foot.parameter_at(k / 8.0)));
        if (free) kept.push_back(foot), clear_length += foot.length();
    }
    if (kept.empty() || clear_length < most_of_footprint * all) return;
    CouplingWork k{make_key("footprint", member.key + " " + sheet.key, {(x - member.axis.at(0)).norm()}), member.body, work.members[m].line(at), 0, {}, {}, {}};
    for (const Curve& c : kept) {
        k.curves.push_back(work.add_curve(c));
        work.sheets[s].curves.push_back(k.curves.back());
    }
    work.couplings.push_back(std::move(k));
}

}  // namespace halvo
