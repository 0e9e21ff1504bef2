#pragma once
#include <halvo/assembly.hpp>
#include <halvo/model.hpp>
#include <halvo/options.hpp>

namespace halvo {

/// What the plan says of single joints, brought to the bodies of an assembly.
class JointRules {
public:
    JointRules(const JoinOptions& options, const Assembly& solids);
    /// How wide a gap between two bodies may be to be closed at a place.
    [[nodiscard]] double reach(int a, int b, const Vec3& place) const;
    [[nodiscard]] LapsAs laps(int a, int b, const Vec3& place) const;
    [[nodiscard]] double widest() const { return widest_; }
    [[nodiscard]] bool refuses(const JointRecord& joint) const;

private:
    struct Placed {
        const JointRule* rule;
        std::optional<double> reach;
        std::array<std::vector<bool>, 2> bodies;
        std::optional<Box3> within;
    };
    static void point_out(Placed& p, const Assembly& solids, std::size_t number);
    [[nodiscard]] static bool fits(const Placed& p, int a, int b, const Vec3& place);

    const JoinOptions& options_;
    double widest_ = 0;
    std::vector<Placed> rules_;
};

}  // namespace halvo
