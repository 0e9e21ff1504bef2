#pragma once
#include <halvo/assembly.hpp>
#include <halvo/model.hpp>
#include <halvo/options.hpp>

#include <algorithm>

namespace halvo {

inline constexpr double nearly_caught = 4;  ///< times the reach: gaps up to this are told, and closed where the plan forces them

/// What the plan says of single joints, brought to the bodies of an assembly.
class JointRules {
public:
    JointRules(const JoinOptions& options, const Assembly& solids);
    /// How wide a gap between two bodies may be to be closed at a place.
    [[nodiscard]] double reach(BodyId a, BodyId b, const Vec3& place) const;
    /// What the last rule says that fits a joint of two bodies, by its key too.
    template <class T>
    [[nodiscard]] T choice(std::optional<T> JointRule::*what, T otherwise, const std::string& key, BodyId a, BodyId b, const Vec3& place) const {
        for (const Placed& p : rules_)
            if (p.rule->*what && named(p, key) && fits(p, a, b, place)) otherwise = *(p.rule->*what);
        return otherwise;
    }
    /// Does any rule say something of this?
    template <class T>
    [[nodiscard]] bool any(std::optional<T> JointRule::*what, T value) const {
        return std::any_of(rules_.begin(), rules_.end(), [&](const Placed& p) { return p.rule->*what == value; });
    }
    [[nodiscard]] double widest() const { return widest_; }
    /// By the last rule that refuses or forces it.
    [[nodiscard]] bool refuses(const JointRecord& joint) const;
    /// Key of the gap between two bodies that nothing joins.
    [[nodiscard]] static std::string gap_key(const Assembly& solids, BodyId a, BodyId b);

private:
    struct Placed {
        const JointRule* rule;
        std::optional<double> reach;
        std::array<std::vector<bool>, 2> bodies;
        std::optional<Box3> within;
    };
    [[nodiscard]] bool forces_gap(const Placed& p, BodyId a, BodyId b) const;
    static void point_out(Placed& p, const Assembly& solids, std::size_t number);
    [[nodiscard]] static bool named(const Placed& p, const std::string& key);
    [[nodiscard]] static bool fits(const Placed& p, BodyId a, BodyId b, const Vec3& place);

    const JoinOptions& options_;
    const Assembly& solids_;
    double widest_ = 0;
    std::vector<Placed> rules_;
};

}  // namespace halvo
