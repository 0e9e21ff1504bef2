#pragma once
#include "body/wall_search.hpp"

#include <halvo/options.hpp>

#include <atomic>
#include <set>

namespace halvo {

/// What the plan says of single walls, brought to the faces and walls of an assembly.
class WallRules {
public:
    /// Finds the faces that rules point at. Throws Error{input} where a rule does not say which body or face it means.
    WallRules(const HalveOptions& options, const Assembly& solids);

    /// Faces of one body that the plan names as opposed, alone, or not opposed.
    [[nodiscard]] std::vector<NamedFaces> named(BodyId body) const;

    struct Decision {
        bool refuse = false;
        Reference reference = Reference::middle;
        MidMethod method = MidMethod::automatic;
        double openings = 0;  ///< largest one that does not open the wall's sheet (mm)
    };
    /// For a wall with its key. Later rules overrule earlier ones.
    [[nodiscard]] Decision decide(BodyId body, const std::string& key, const Wall& wall) const;

    /// Rules that fitted nothing, one line each.
    [[nodiscard]] std::vector<std::string> idle() const;

private:
    struct Placed {
        const WallRule* rule = nullptr;
        std::vector<bool> bodies;    // those it may speak of
        std::vector<int> faces;      // 0-based; empty when it names none
        std::optional<Box3> within;  // in the assembly's own coordinates
        mutable std::atomic<bool> used{false};
    };
    void place(const WallRule& rule, std::size_t number);
    [[nodiscard]] bool fits(const Placed& p, BodyId body, const std::string& key, const Wall& wall) const;

    const HalveOptions& options_;
    const Assembly& solids_;
    std::vector<std::unique_ptr<Placed>> rules_;
};

}  // namespace halvo
