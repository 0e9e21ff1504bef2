#include "solve/figures.hpp"

#include "core/index.hpp"

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace halvo {
namespace {

using What = ProbeRule::What;

struct FigureForm {
    const char* text;
    What what;
    bool axes, total;  // may an axis follow, or "total" and nothing?
};
constexpr std::array<FigureForm, 13> figure_forms{{{"displacement", What::displacement, true, true},
                                                   {"rotation", What::rotation, true, true},
                                                   {"reaction moment", What::reaction_moment, true, true},
                                                   {"reaction", What::reaction, true, true},
                                                   {"von mises", What::von_mises, false, true},
                                                   {"principal", What::principal, true, false},
                                                   {"stress along", What::stress, true, false},
                                                   {"axial force", What::axial_force, false, true},
                                                   {"shear force", What::shear_force, true, true},
                                                   {"torque", What::torque, false, true},
                                                   {"bending moment", What::bending_moment, true, true},
                                                   {"thickness", What::thickness, false, true},
                                                   {"frequency", What::frequency, false, false}}};

double of_stress(const ProbeRule& rule, const Stress& s, const Eigen::Matrix3d& axes) {
    if (rule.what == What::von_mises) return von_mises(s);
    if (rule.what == What::principal) return principal(s).values[rule.axis];
    const Vec3 d = axes.col(rule.axis);
    return d.x() * d.x() * s[0] + d.y() * d.y() * s[1] + d.z() * d.z() * s[2] + 2 * (d.x() * d.y() * s[3] + d.y() * d.z() * s[4] + d.z() * d.x() * s[5]);
}

// One of two components across a member, or both together.
double across(const Eigen::Matrix<double, 6, 1>& f, Eigen::Index first, int axis) {
    return axis == 1 ? f[first] : axis == 2 ? f[first + 1] : std::hypot(f[first], f[first + 1]);
}

}  // namespace

bool read_figure(ProbeRule& rule) {
    const auto form = std::find_if(figure_forms.begin(), figure_forms.end(), [&](const FigureForm& f) { return rule.of_text.starts_with(f.text); });
    if (form == figure_forms.end()) return false;
    std::string rest = rule.of_text.substr(std::string(form->text).size());
    rest.erase(0, std::min(rest.find_first_not_of(' '), rest.size()));
    rule.what = form->what;
    if (rule.what == What::frequency) {  // of the mode of that number
        rule.axis = std::atoi(rest.c_str());
        return rule.axis > 0 && rest.find_first_not_of("0123456789") == std::string::npos;
    }
    if (form->total && (rest.empty() || rest == "total")) {
        rule.axis = 3;
        return true;
    }
    const std::string letters = rule.what == What::principal ? "123" : "xyz";
    if (!form->axes || rest.size() != 1 || letters.find(rest) == std::string::npos) return false;
    rule.axis = static_cast<int>(letters.find(rest));
    // Members have no shear and no bending along themselves.
    return rule.axis > 0 || (rule.what != What::shear_force && rule.what != What::bending_moment);
}

Stress sum_of(const Stress& a, const Stress& b, double share) {
    Stress s = a;
    for (std::size_t k = 0; k < 6; ++k) s[k] += share * b[k];
    return s;
}

SheetStress::SheetStress(const std::vector<ShellState>& shells, const std::function<std::int32_t(std::size_t)>& group,
                         const std::function<std::span<const std::int32_t>(std::size_t)>& nodes) {
    std::map<std::pair<std::int32_t, std::int32_t>, double> count;
    for (std::size_t i = 0; i < shells.size(); ++i) {
        const auto list = nodes(i);
        for (std::size_t k = 0; k < list.size(); ++k) {
            const std::pair key(group(i), list[k]);
            auto& sum = at_[key];
            for (std::size_t side = 0; side < 2; ++side) sum[side] = sum_of(sum[side], shells[i].corner[side][k], 1);
            ++count[key];
        }
    }
    for (auto& [key, sum] : at_)
        for (Stress& s : sum)
            for (double& v : s) v /= count[key];
}

double stress_figure(const ProbeRule& rule, const std::array<Stress, 2>& skins, const Eigen::Matrix3d& axes) {
    using Side = ProbeRule::Side;
    if (rule.side == Side::middle) {
        Stress middle = sum_of(skins[0], skins[1], 1);
        for (double& v : middle) v *= 0.5;
        return of_stress(rule, middle, axes);
    }
    const double top = of_stress(rule, skins[0], axes), bottom = of_stress(rule, skins[1], axes);
    if (rule.side == Side::top) return top;
    if (rule.side == Side::bottom) return bottom;
    return std::abs(top) >= std::abs(bottom) ? top : bottom;
}

double beam_figure(const ProbeRule& rule, const BeamState& beam, std::size_t end, const Eigen::Matrix3d& axes) {
    const auto& f = beam.force[end];
    const double normal = std::abs(beam.most_stress[end]) >= std::abs(beam.least_stress[end]) ? beam.most_stress[end] : beam.least_stress[end];
    switch (rule.what) {
        case What::axial_force:
            return f[0];
        case What::torque:
            return f[3];
        case What::shear_force:
            return across(f, 1, rule.axis);
        case What::bending_moment:
            return across(f, 4, rule.axis);
        case What::stress:
            return normal * std::pow(axes.col(rule.axis).dot(beam.axes.col(0)), 2);
        case What::principal:
            return rule.axis == 0 ? std::max(normal, 0.0) : rule.axis == 2 ? std::min(normal, 0.0) : 0.0;
        default:
            return beam.von_mises[end];
    }
}

}  // namespace halvo
