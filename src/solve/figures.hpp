#pragma once
/// Figures that are read off a solution: by probes, and by pictures.

#include <halvo/solve.hpp>

#include <functional>
#include <optional>
#include <span>

namespace halvo {

/// What `of_text` of a probe means ("displacement x", "principal 1", "bending moment y"), in `what` and `axis`; false for what means nothing.
[[nodiscard]] bool read_figure(ProbeRule& rule);

[[nodiscard]] Stress sum_of(const Stress& a, const Stress& b, double share);

/// Mean stress of the shells of each sheet at each of its nodes: top and bottom.
class SheetStress {
public:
    SheetStress() = default;
    /// `group` and `nodes` of each shell.
    SheetStress(const std::vector<ShellState>& shells, const std::function<std::int32_t(std::size_t)>& group,
                const std::function<std::span<const std::int32_t>(std::size_t)>& nodes);
    [[nodiscard]] const std::array<Stress, 2>& at(std::int32_t group, std::int32_t node) const { return at_.at({group, node}); }
    [[nodiscard]] const std::map<std::pair<std::int32_t, std::int32_t>, std::array<Stress, 2>>& all() const { return at_; }

private:
    std::map<std::pair<std::int32_t, std::int32_t>, std::array<Stress, 2>> at_;
};

/// A stress as the rule wants it, along axes; on the side it wants.
[[nodiscard]] double stress_figure(const ProbeRule& rule, const std::array<Stress, 2>& skins, const Eigen::Matrix3d& axes);
/// Stress or section force of a beam at one of its ends.
[[nodiscard]] double beam_figure(const ProbeRule& rule, const BeamState& beam, std::size_t end, const Eigen::Matrix3d& axes);

}  // namespace halvo
