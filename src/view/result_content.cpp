// What was solved: fields on the deformed shape, modes, section forces along members.
#include "view/content.hpp"

#include "core/index.hpp"
#include "solve/figures.hpp"
#include "view/arrows.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo::view {
namespace {

constexpr double seen_share = 0.05;     // of the model's size: the largest displacement as drawn, where no factor is given
constexpr double diagram_share = 0.08;  // of the model's size: the largest section force as drawn
constexpr std::size_t most_triangles = 600000;

class ResultComposer {
public:
    ResultComposer(const Job& job, const DrawOptions& options) : job_(job), o_(options), s_(job.solution) {}

    Content run() {
        if (s_.nodes.empty())
            throw Error(ErrorKind::usage, "the model has not been solved; give its plan [[support]] and [[load]] and run it on with --from solve");
        figure_.of_text = o_.result;
        if (!read_figure(figure_)) throw Error(ErrorKind::usage, fmt::format("there is no result named {}", o_.result));
        using Side = ProbeRule::Side;
        figure_.side = o_.side == "top" ? Side::top : o_.side == "bottom" ? Side::bottom : o_.side == "middle" ? Side::middle : Side::worst;
        choose();
        Box3 box;
        for (const Vec3& p : s_.nodes) box.extend(p);
        size_ = box.diagonal().norm();
        most_ = 0;
        for (std::size_t n = 0; n < s_.nodes.size(); ++n) most_ = std::max(most_, displacement(n).norm());
        factor_ = o_.deformed ? *o_.deformed : most_ > 0 ? rounded(seen_share * size_ / most_) : 0;
        fill();
        range();
        shells(), members(), outlines();
        if (along_members()) diagrams();
        if (o_.loads && case_ != nullptr) arrows();
        tell();
        return std::move(out_);
    }

private:
    static double rounded(double v) {
        const double power = std::pow(10, std::floor(std::log10(v)));
        for (const double k : {5.0, 2.0, 1.0})
            if (v >= k * power) return k * power;
        return power;
    }
    void choose() {
        if (o_.mode > 0) {
            if (ix(o_.mode) > s_.modes.size()) throw Error(ErrorKind::usage, fmt::format("--mode {}: the model has {} modes", o_.mode, s_.modes.size()));
            movement_ = &s_.modes[ix(o_.mode) - 1].movement;
            return;
        }
        if (s_.cases.empty()) throw Error(ErrorKind::usage, "the model has no case; draw a mode with --mode 1");
        case_ = &s_.cases[0];
        if (!o_.load_case.empty()) {
            const auto it = std::find_if(s_.cases.begin(), s_.cases.end(), [&](const CaseResult& c) { return c.name == o_.load_case; });
            if (it == s_.cases.end()) {
                std::vector<std::string> names;
                for (const CaseResult& c : s_.cases) names.push_back(c.name);
                throw Error(ErrorKind::usage, fmt::format("--case {}: no such case; there are {}", o_.load_case, fmt::join(names, ", ")));
            }
            case_ = &*it;
        }
        movement_ = &case_->movement;
    }
    [[nodiscard]] Vec3 displacement(std::size_t n) const { return movement_->segment<3>(static_cast<Eigen::Index>(6 * n)); }
    [[nodiscard]] Vec3 moved(std::size_t n) const { return s_.nodes[n] + factor_ * displacement(n); }
    [[nodiscard]] bool along_members() const {
        using What = ProbeRule::What;
        return o_.mode == 0 &&
               (figure_.what == What::axial_force || figure_.what == What::shear_force || figure_.what == What::torque || figure_.what == What::bending_moment);
    }

    // Values at the corners of each shell, and at the ends of each beam.
    void fill() {
        shell_values_.resize(s_.shell_elements.size()), beam_values_.resize(s_.beam_elements.size());
        using What = ProbeRule::What;
        const bool reaction = o_.mode == 0 && figure_.what == What::reaction;
        const auto node_value = [&](std::size_t n) {
            const Vec3 v = reaction ? Vec3(case_->reaction.segment<3>(static_cast<Eigen::Index>(6 * n))) : displacement(n);
            return o_.mode > 0 || figure_.axis == 3 ? v.norm() : v[figure_.axis];
        };
        if (o_.mode > 0 || reaction || figure_.what == What::displacement) {
            name_ = o_.mode > 0 ? "displacement" : o_.result, unit_ = o_.mode > 0 ? "largest is 1" : reaction ? "N" : "mm";
            for (std::size_t i = 0; i < shell_values_.size(); ++i)
                for (std::size_t k = 0; k < shell(i).count; ++k) shell_values_[i][k] = node_value(ix(shell(i).nodes[k]));
            for (std::size_t i = 0; i < beam_values_.size(); ++i)
                for (std::size_t k = 0; k < 2; ++k) beam_values_[i][k] = node_value(ix(beam(i).nodes[k]));
            return;
        }
        name_ = o_.result + (along_members() || o_.side == "worst" ? "" : ", " + o_.side), unit_ = "MPa";
        const Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();
        if (!along_members()) {
            const SheetStress stress(
                case_->shells, [&](std::size_t i) { return shell(i).sheet.value; },
                [&](std::size_t i) { return std::span(shell(i).nodes).first(shell(i).count); });
            for (std::size_t i = 0; i < shell_values_.size(); ++i)
                for (std::size_t k = 0; k < shell(i).count; ++k)
                    shell_values_[i][k] = stress_figure(figure_, stress.at(shell(i).sheet.value, shell(i).nodes[k]), axes);
        }
        for (std::size_t i = 0; i < beam_values_.size(); ++i)
            for (std::size_t k = 0; k < 2; ++k) beam_values_[i][k] = beam_figure(figure_, case_->beams[i], k, axes);
        if (along_members()) unit_ = figure_.what == What::axial_force || figure_.what == What::shear_force ? "N" : "N mm";
    }
    [[nodiscard]] const Element& shell(std::size_t i) const { return job_.mesh.elements[ix(s_.shell_elements[i])]; }
    [[nodiscard]] const Element& beam(std::size_t i) const { return job_.mesh.elements[ix(s_.beam_elements[i])]; }

    void range() {
        low_ = std::numeric_limits<double>::max(), high_ = -low_;
        const auto look = [&](double v, std::size_t node) {
            if (v < low_) low_ = v, low_at_ = node;
            if (v > high_) high_ = v, high_at_ = node;
        };
        for (std::size_t i = 0; i < shell_values_.size(); ++i)
            for (std::size_t k = 0; k < shell(i).count && !along_members(); ++k) look(shell_values_[i][k], ix(shell(i).nodes[k]));
        for (std::size_t i = 0; i < beam_values_.size(); ++i)
            for (std::size_t k = 0; k < 2; ++k) look(beam_values_[i][k], ix(beam(i).nodes[k]));
        if (std::abs(low_) < 1e-9 * std::abs(high_)) low_ = 0;  // rounding
        if (low_ > high_) throw Error(ErrorKind::usage, fmt::format("the model has nothing with a {}", o_.result));
    }
    [[nodiscard]] Colour colour(double v) const { return high_ > low_ ? field((v - low_) / (high_ - low_)) : field(0.5); }

    void shells() {
        const std::size_t each = std::max<std::size_t>(1, shell_values_.size());
        const int pieces =
            along_members() ? 1 : std::clamp(static_cast<int>(std::sqrt(static_cast<double>(most_triangles) / (2.0 * static_cast<double>(each)))), 1, 5);
        for (std::size_t i = 0; i < shell_values_.size(); ++i) {
            const Element& e = shell(i);
            std::array<Vec3, 4> p;
            std::array<double, 4> v = shell_values_[i];
            for (std::size_t k = 0; k < 4; ++k) {
                const std::size_t from = std::min<std::size_t>(k, e.count - 1U);
                p[k] = moved(ix(e.nodes[from])), v[k] = v[from];
            }
            const auto at = [&](double r, double s) {
                const std::array<double, 4> w{(1 - r) * (1 - s), r * (1 - s), r * s, (1 - r) * s};
                Vec3 q = Vec3::Zero();
                double value = 0;
                for (std::size_t k = 0; k < 4; ++k) q += w[k] * p[k], value += w[k] * v[k];
                return std::pair(q, value);
            };
            for (int a = 0; a < pieces; ++a)
                for (int b = 0; b < pieces; ++b) {
                    const double h = 1.0 / pieces;
                    const auto c0 = at(a * h, b * h), c1 = at((a + 1) * h, b * h), c2 = at((a + 1) * h, (b + 1) * h), c3 = at(a * h, (b + 1) * h);
                    const Colour c = along_members() ? neutral : colour(0.25 * (c0.second + c1.second + c2.second + c3.second));
                    out_.scene.triangles.push_back({c0.first, c1.first, c2.first, c});
                    if ((c3.first - c2.first).norm() > 0) out_.scene.triangles.push_back({c0.first, c2.first, c3.first, c});
                }
        }
    }
    void members() {
        for (std::size_t i = 0; i < beam_values_.size(); ++i) {
            const Vec3 a = moved(ix(beam(i).nodes[0])), b = moved(ix(beam(i).nodes[1]));
            constexpr int pieces = 4;
            for (int k = 0; k < pieces; ++k) {
                const double s = static_cast<double>(k) / pieces, e = static_cast<double>(k + 1) / pieces;
                const double v = beam_values_[i][0] + 0.5 * (s + e) * (beam_values_[i][1] - beam_values_[i][0]);
                out_.scene.lines.push_back({{a + s * (b - a), a + e * (b - a)}, colour(v), 5, false, true});
            }
        }
    }
    void outlines() {
        if (factor_ != 0) {
            const auto at = sheets_at_edges(job_.model);
            for (std::size_t e = 0; e < at.size(); ++e)
                if (!at[e].empty()) out_.scene.lines.push_back({job_.model.edges[e].curve.sampled(0.2, 12), faint, 1, true, false});
            for (std::size_t i = 0; i < beam_values_.size(); ++i)
                out_.scene.lines.push_back({{s_.nodes[ix(beam(i).nodes[0])], s_.nodes[ix(beam(i).nodes[1])]}, faint, 1, true, false});
            out_.legend.push_back({"undeformed", "", faint, 1, true, false});
        }
        // Sides of one shell, and between sheets, on the deformed shape; all of them where element edges are asked for.
        std::map<std::pair<int, int>, std::pair<int, int>> sides;  // count, sheet
        for (std::size_t i = 0; i < shell_values_.size(); ++i)
            for (std::size_t k = 0; k < shell(i).count; ++k) {
                auto& [count, sheet] = sides[std::minmax(shell(i).nodes[k], shell(i).nodes[(k + 1) % shell(i).count])];
                sheet = count == 0 || sheet == shell(i).sheet.value ? shell(i).sheet.value : -2;
                ++count;
            }
        for (const auto& [nodes, k] : sides) {
            const bool border = k.first != 2 || k.second == -2;
            if (border || o_.mesh_lines) out_.scene.lines.push_back({{moved(ix(nodes.first)), moved(ix(nodes.second))}, ink, border ? 1.2 : 0.6, false, false});
        }
    }
    // Section forces drawn square to the members, as far as they are large.
    void diagrams() {
        const double most = std::max(std::abs(low_), std::abs(high_));
        if (most == 0) return;
        for (std::size_t i = 0; i < beam_values_.size(); ++i) {
            const BeamState& b = case_->beams[i];
            const Vec3 d = o_.result == "bending moment z" || o_.result == "shear force y" ? b.axes.col(1) : b.axes.col(2);
            const Vec3 p = moved(ix(beam(i).nodes[0])), q = moved(ix(beam(i).nodes[1]));
            const double scale = diagram_share * size_ / most;
            const Vec3 p2 = p + scale * beam_values_[i][0] * d, q2 = q + scale * beam_values_[i][1] * d;
            const Colour c = colour(0.5 * (beam_values_[i][0] + beam_values_[i][1]));
            out_.scene.triangles.push_back({p, q, q2, c}), out_.scene.triangles.push_back({p, q2, p2, c});
            out_.scene.lines.push_back({{p, p2, q2, q}, ink, 0.8, false, true});
        }
    }
    // What pushes and what holds, on the shape as it was.
    void arrows() {
        constexpr double longest = 0.07, shortest = 0.25;  // of the model's size; of the longest one
        const auto put = [&](const Eigen::VectorXd& forces, const Colour& c, const char* name) {
            const std::vector<ForceArrow> list = force_arrows(s_.nodes, forces, size_);
            double most = 0;
            for (const ForceArrow& a : list) most = std::max(most, a.force.norm());
            if (most == 0) return;
            for (const ForceArrow& a : list) {
                const double f = a.force.norm(), length = longest * size_ * (shortest + (1 - shortest) * f / most);
                if (f < 0.01 * most) continue;
                const Vec3 d = a.force / f, side = d.cross(std::abs(d.z()) < 0.9 ? Vec3::UnitZ() : Vec3::UnitX()).normalized(), tail = a.place - length * d;
                out_.scene.lines.push_back({{tail, a.place}, c, 2, false, true});
                out_.scene.lines.push_back(
                    {{a.place - length * (0.25 * d + 0.1 * side), a.place, a.place - length * (0.25 * d - 0.1 * side)}, c, 2, false, true});
            }
            out_.legend.push_back(
                {name, most >= 1e4 ? fmt::format("up to {:.3g} kN an arrow", most / 1e3) : fmt::format("up to {:.0f} N an arrow", most), c, 2, false, false});
        };
        put(case_->applied, three_sheets, "load"), put(case_->reaction, four_sheets, "reaction");
    }
    void tell() {
        const Vec3& shift = job_.solids.shift;
        out_.scale = Scale{name_ == "von mises" ? "von Mises" : name_, unit_, low_, high_, {}};
        const auto mark = [&](double v, std::size_t n) {
            out_.marks.push_back({moved(n), fmt::format("{:.4g}", v)});
            return fmt::format("{:.4g} {} at {}", v, unit_, place_text(s_.nodes[n], shift));
        };
        const std::string most = mark(high_, high_at_),
                          least = std::abs(low_) > 1e-3 * std::abs(high_) && low_ < 0 ? mark(low_, low_at_) : fmt::format("{:.4g} {}", low_, unit_);
        out_.captions.push_back(fmt::format("most {}; least {}", most, least));
        const std::string shape = factor_ == 0 ? "undeformed shape" : fmt::format("deformed {:g} times", factor_);
        if (o_.mode > 0) {
            out_.title = fmt::format("{}: mode {}, {:.4g} Hz", job_.solids.file, o_.mode, s_.modes[ix(o_.mode) - 1].frequency);
            out_.captions.push_back(shape);
            return;
        }
        out_.title = fmt::format("{}: {}, case {}", job_.solids.file, name_ == "von mises" ? "von Mises stress" : name_, case_->name);
        const auto clean = [](const Vec3& v) { return Vec3(v.unaryExpr([&](double x) { return std::abs(x) < 1e-9 * v.norm() ? 0.0 : x; })); };
        const Vec3 f = clean(case_->applied_force), r = clean(case_->reaction_force);
        out_.captions.push_back(
            fmt::format("{}; loads ({:.4g}, {:.4g}, {:.4g}) N, reactions ({:.4g}, {:.4g}, {:.4g}) N", shape, f.x(), f.y(), f.z(), r.x(), r.y(), r.z()));
    }

    const Job& job_;
    const DrawOptions& o_;
    const Solution& s_;
    ProbeRule figure_;  // which of them, on which side
    const CaseResult* case_ = nullptr;
    const Eigen::VectorXd* movement_ = nullptr;
    Content out_;
    double size_ = 1, most_ = 0, factor_ = 0, low_ = 0, high_ = 0;
    std::size_t low_at_ = 0, high_at_ = 0;
    std::string name_, unit_;
    std::vector<std::array<double, 4>> shell_values_;
    std::vector<std::array<double, 2>> beam_values_;
};

}  // namespace

Content compose_result(const Job& job, const DrawOptions& options) {
    return ResultComposer(job, options).run();
}

}  // namespace halvo::view
