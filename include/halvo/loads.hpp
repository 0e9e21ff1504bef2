#pragma once
/// What the structure is made of, what it stands on and what pushes it: options of `solve`. Lengths mm, forces N, masses t, stresses MPa.

#include <halvo/options.hpp>
#include <halvo/structure.hpp>

#include <map>

namespace halvo {

/// What a rule means; several together: all hold; none: everything.
struct Selection {
    std::vector<std::string> body;  ///< names or paths with wildcards, or numbers
    std::vector<std::string> id;    ///< keys of sheets, walls, members, or "set=NAME"
    std::optional<Box3> within;     ///< (mm, as the file has it)
    std::vector<Vec3> points;       ///< the nodes there (mm, as the file has them)
    std::string point;              ///< the node of a [[point]]
    [[nodiscard]] bool empty() const { return body.empty() && id.empty() && !within && points.empty() && point.empty(); }
};

/// Of these bodies, sheets and members; without any of all that no other rule names ([[material]]).
struct MaterialRule {
    Selection of;
    Material material;
};

/// What is held ([[support]]).
struct SupportRule {
    std::string name;  ///< "support 1" and so on where the plan gives none
    Selection of;
    std::array<bool, 6> fixed{};                  ///< x y z rx ry rz of the frame
    std::array<std::optional<double>, 6> move{};  ///< to so much (mm, rad)
    std::array<double, 6> spring{};               ///< stiffness in all, shared by length or area (N/mm, N mm/rad)
    std::optional<Vec3> symmetry;                 ///< normal of the plane
    std::optional<Vec3> on_plane;                 ///< only nodes on the plane of symmetry through this point (mm, as the file has it)
    std::string frame, load_case;
};

/// What pushes ([[load]]): one of these.
struct LoadRule {
    enum class Kind : std::uint8_t { none, pressure, force, force_per_length, force_per_area, moment, acceleration, spin, temperature };
    std::string name, load_case, frame;
    Selection of;
    Kind kind = Kind::none;
    int ways = 0;                                           ///< how many of them the plan gives; one is right
    double value = 0;                                       ///< of pressure (MPa), spin (rad/s), temperature (K)
    Vec3 vector = Vec3::Zero();                             ///< of the others, along the frame (N, N/mm, MPa, N mm, mm/s2)
    std::optional<Vec3> from;                               ///< a point on the side that pressure acts from (mm, as the file has it)
    std::array<Vec3, 2> axis{Vec3::Zero(), Vec3::UnitZ()};  ///< of spin: two points (mm, as the file has them)
};

/// Mass that the model does not have otherwise ([[mass]]): shared out over a selection by length or area, or at one point.
struct MassRule {
    Selection of;
    double mass = 0;              ///< t
    Vec3 inertia = Vec3::Zero();  ///< t mm2, about the file's axes
};

/// A node of its own that holds others ([[point]]).
struct PointRule {
    std::string name;
    Vec3 at = Vec3::Zero();  ///< (mm, as the file has it)
    bool placed = false;     ///< is `at` given?
    bool rigid = true;       ///< else it moves as these do on average
    Selection of;
};

/// Ends of members that carry less ([[release]]).
struct ReleaseRule {
    Selection of;
    bool start = true, end = true;
    std::array<bool, 6> free{};  ///< x (along the member) y z rx ry rz of its own axes
};

/// A case of several loads or cases, each times a factor ([[case]]).
struct CaseRule {
    std::string name;
    std::vector<std::pair<std::string, double>> loads;
};

/// A closed form beside a probe's figure: its name and the quantities it takes (mm, N, MPa, t, s).
struct KnownRule {
    std::string form;
    std::map<std::string, double> values;
    std::string figure = "mean";  ///< of the probe that is compared: "mean", "largest", "least" or "sum"
};

/// A figure to be told ([[probe]]).
struct ProbeRule {
    enum class What : std::uint8_t {
        displacement,
        rotation,
        reaction,
        reaction_moment,
        von_mises,
        principal,
        stress,
        axial_force,
        shear_force,
        torque,
        bending_moment,
        thickness,
        frequency
    };
    enum class Side : std::uint8_t { worst, top, bottom, middle };
    std::string name, of_text, load_case;
    What what = What::displacement;
    int axis = 3;  ///< 0 1 2: x y z (or first to third); 3: total; of a frequency: the mode's number
    Side side = Side::worst;
    std::string frame;
    Selection of;
    std::optional<KnownRule> known;
};

struct ModesOptions {
    int count = 0;
    bool lumped = false;
};

/// The structure once more as a solid, under the same loads ([reference]): for a body that one of its faces, moved or turned, sweeps out.
struct ReferenceOptions {
    bool make = false;
    int across = 2;              ///< elements across a wall, at least
    std::optional<double> size;  ///< of elements along walls (mm); else that of the shells
};

struct SolveOptions {
    std::vector<MaterialRule> materials;  ///< later ones overrule earlier ones
    std::vector<SupportRule> supports;
    std::vector<LoadRule> loads;
    std::vector<MassRule> masses;
    std::vector<PointRule> points;
    std::vector<ReleaseRule> releases;
    std::vector<CaseRule> cases;
    std::vector<ProbeRule> probes;
    ModesOptions modes;
    ReferenceOptions reference;
    /// Is there anything to solve?
    [[nodiscard]] bool any() const { return !supports.empty() || !loads.empty() || modes.count > 0; }
};

/// A common material by its name, with stated values; nothing for other names.
[[nodiscard]] std::optional<Material> common_material(const std::string& name);
[[nodiscard]] const std::vector<Material>& common_materials();

}  // namespace halvo
