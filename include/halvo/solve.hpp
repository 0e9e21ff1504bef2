#pragma once
#include <halvo/loads.hpp>
#include <halvo/mesh.hpp>

namespace halvo {

/// What goes through a connection: sums over its nodes of the magnitudes of force (N) and moment (N mm). NaN where it has no nodes of its own.
struct Carried {
    double force = 0, moment = 0;
};

/// Strain along a seam in the sheets on it, and how much these differ: roots of the mean squares along it. NaN where it has no shells on two sides.
struct SeamStrain {
    double strain = 0, jump = 0;
};

/// One case, solved.
struct CaseResult {
    std::string name;
    Eigen::VectorXd movement, applied, reaction;        ///< 6 a node of the solution's: mm, rad; N, N mm
    std::vector<ShellState> shells;                     ///< as Solution::shell_elements
    std::vector<BeamState> beams;                       ///< as Solution::beam_elements
    std::vector<std::array<double, 3>> node_von_mises;  ///< at the mesh's nodes, averaged within each sheet: top, bottom, worst of both; NaN without shells
    double stress_error = 0;                            ///< share by which the elements' stress differs from its mean at the nodes, over all (energy norm)
    Vec3 stress_error_at = Vec3::Zero();                ///< where that is most
    Vec3 applied_force = Vec3::Zero(), applied_moment = Vec3::Zero(), reaction_force = Vec3::Zero(),
         reaction_moment = Vec3::Zero();                                          ///< about the file's origin
    std::vector<std::pair<std::string, Eigen::Matrix<double, 6, 1>>> of_support;  ///< force, and moment about the file's origin
    double residual = 0, energy = 0;
    double max_displacement = 0, max_von_mises = 0;
    std::string peak;                    ///< why the largest stress has no end where it is: it grows as the mesh gets finer; empty: it has
    double max_von_mises_elsewhere = 0;  ///< at least an element away from such places
    Vec3 max_von_mises_elsewhere_at = Vec3::Zero();
    std::vector<double> energy_of;          ///< strain energy of each of Solution::properties (N mm)
    std::vector<Carried> through_property;  ///< what each of Solution::properties takes from others and gives to others: half of both
    std::vector<Carried> through_seam;      ///< as halvo::seams lists them
    std::vector<Carried> through_joint;     ///< as Model::joints
    std::vector<SeamStrain> seam_strain;    ///< as through_seam
    double load = 0;                        ///< all that pushes: magnitudes of the applied forces, node by node (N)
    Vec3 max_displacement_at = Vec3::Zero(), max_von_mises_at = Vec3::Zero();
};

struct ModeResult {
    double frequency = 0;      ///< Hz
    Eigen::VectorXd movement;  ///< 6 a node, the largest displacement 1 mm
};

struct ProbeResult {
    std::string name, load_case, of, unit;
    double min = 0, max = 0, mean = 0, sum = 0;
    Vec3 min_at = Vec3::Zero(), max_at = Vec3::Zero();
    std::size_t count = 0;
    std::string known_form, known_figure;  ///< the closed form that the plan puts beside it, and which figure it is compared with; empty: none
    double known = 0;                      ///< its value, in the probe's unit
    /// The figure compared over the closed form's value, less 1.
    [[nodiscard]] double off_known() const {
        const double v = known_figure == "largest" ? max : known_figure == "least" ? min : known_figure == "sum" ? sum : mean;
        return v / known - 1;
    }
};

/// One figure of shells and beams beside that of the same body as a solid.
struct ReferenceRow {
    std::string what, load_case, unit;
    double model = 0, solid = 0;
};
struct SolidReference {
    std::string body, sweep;  ///< what is swept, in words
    std::size_t solids = 0, unknowns = 0;
    double volume = 0;  ///< of the solid elements (mm3)
    std::vector<ReferenceRow> rows;
};

/// What a sheet or a member is made of, as an analyst checks it.
struct Property {
    std::string what, body, material, section;
    SheetId sheet;
    MemberId member;
    double thickness = 0, mass = 0, volume = 0;  ///< mm, t, mm3
};

struct Solution {
    std::vector<Vec3> nodes;                                  ///< those of the mesh, then those of [[point]]
    std::vector<std::int32_t> shell_elements, beam_elements;  ///< number in the mesh of each shell and beam
    std::vector<CaseResult> cases;
    std::vector<ModeResult> modes;
    std::vector<ProbeResult> probes;
    std::vector<Property> properties;
    std::optional<SolidReference> reference;  ///< where the plan asks for it
    std::vector<Finding> findings;
    std::size_t unknowns = 0;
    double mass = 0;  ///< t
    Vec3 mass_centre = Vec3::Zero();
    double factor_seconds = 0, assembly_seconds = 0, recovery_seconds = 0;
};

/// What a solution leaves for the next one: where the mesh and the supports are the same and thicknesses, sections, materials or loads are others, the
/// order of elimination and the matrix's pattern are kept.
struct SolveMemory {
    std::map<std::vector<char>, std::shared_ptr<const EquationLayout>> layouts;  ///< by the supports that act
};

/// Statics of every case and modes, of the mesh. `sets` and `frames` are those the rules name. Throws Error{stage} with one line where the structure
/// can still move, conditions conflict, a material is missing or a rule picks nothing.
[[nodiscard]] Solution solve(const Model& model, const Mesh& mesh, const SolveOptions& options, const JoinOptions& names = {}, const Observer& observer = {},
                             SolveMemory* memory = nullptr);

/// Where something carries most, over all cases: `list` is one of CaseResult's through_ lists. Nothing where it is not known.
struct MostCarried {
    double force = 0, moment = 0;  ///< N, N mm
    double share = 0;              ///< force over all that pushes in the case
    std::string load_case;
};
[[nodiscard]] std::optional<MostCarried> most_carried(const Solution& solution, std::vector<Carried> CaseResult::*list, std::size_t number);

/// Strain along a seam (of halvo::seams) in the case in which it is largest.
struct MostStrained {
    double strain = 0, jump = 0;
    std::string load_case;
};
[[nodiscard]] std::optional<MostStrained> most_strained(const Solution& solution, std::size_t seam);

/// The places that rules of the plan name: they get nodes of their own (mm, as the file has them).
[[nodiscard]] std::vector<Vec3> places_named(const SolveOptions& options);

}  // namespace halvo
