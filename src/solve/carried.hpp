#pragma once
/// Does it act as one: what goes through each seam and joint, and what each sheet and member passes on.

#include "solve/building.hpp"

namespace halvo {

/// The connections of a model, and which nodes they are.
class Connections {
public:
    Connections(const Built& built, const Picker& picker);
    /// Fills what goes through them in a case, from the forces at which its parts meet.
    void see(CaseResult& result, const std::vector<GroupForce>& meetings) const;

private:
    struct Seamed {
        std::vector<std::pair<std::int32_t, double>> nodes;     // and the share of each: other seams may end where it does
        std::vector<std::vector<std::int32_t>> shells_between;  // those on each stretch from a node to the next
    };
    struct Joined {
        std::int32_t a = -1, b = -1;  // numbers of properties
    };
    [[nodiscard]] SeamStrain strain_of(const Seamed& seam, const Eigen::VectorXd& movement) const;
    [[nodiscard]] double strain_along(std::int32_t shell, const Vec3& along, const Eigen::VectorXd& movement) const;
    [[nodiscard]] std::int32_t property_of(const GroupForce& f) const;
    [[nodiscard]] std::int32_t place_of(std::int32_t node) const;

    const Built& built_;
    std::map<std::pair<bool, std::int32_t>, std::int32_t> property_;  // of groups: of beams?, number
    std::vector<std::int32_t> place_;                                 // nodes that arms and ties connect are one place
    std::vector<Seamed> seams_;
    std::vector<Joined> joints_;
};

}  // namespace halvo
