#pragma once
/// What the parts of the solution share: the structure, its reduced matrices, and how elements are looked at again.

#include "core/groups.hpp"
#include "solve/beam.hpp"
#include "solve/matrix.hpp"
#include "solve/shell.hpp"
#include "solve/solid.hpp"

namespace halvo {

/// What does not depend on thicknesses, sections, materials and masses: structures that differ in these alone share it.
struct EquationLayout {
    explicit EquationLayout(const Structure& structure);
    /// Is it that of this structure too?
    [[nodiscard]] bool fits(const Structure& structure) const;
    [[nodiscard]] std::size_t count() const;
    [[nodiscard]] std::vector<std::int32_t> nodes_of(std::size_t e) const;
    void finish_motion(FreeMotion& f) const;

    Structure shape;  // as it was made for
    double size = 1;
    std::vector<std::array<Vec3, 4>> shell_normals;  // at the nodes of each shell
    std::optional<Elimination> elimination;
    std::int32_t first_equation = 0;  // number of the structure's first in the elimination
    std::vector<std::int32_t> conflicts;
    std::vector<char> meets;  // is the node one where groups of elements meet, or that arms and equations connect?
    Unknowns unknowns;
    std::optional<Assembler> assembler;
    std::unique_ptr<Ordering> ordering;
    std::vector<FreeMotion> rigid_motions;

private:
    void eliminate();
    void find_meetings();
    void find_rigid_motions();
};

struct Equations::Parts {
    std::shared_ptr<const EquationLayout> layout;  // outlives the factor, which is made in its workspace
    Structure structure;
    std::vector<ShellLaw> laws;        // of each material
    std::vector<SolidLaw> solid_laws;  // where there are solids
    LowerMatrix stiffness;
    std::optional<Factor> factor;
    std::vector<FreeMotion> motions;
    double factor_time = 0, assembly_time = 0;
    mutable double recovery_time = 0;

    [[nodiscard]] ShellShape shell(std::size_t i) const;
    [[nodiscard]] BeamShape beam(std::size_t i) const;
    [[nodiscard]] std::array<Vec3, 8> solid(std::size_t i) const;
    [[nodiscard]] Eigen::MatrixXd stiffness_of(std::size_t e) const;
    [[nodiscard]] Eigen::MatrixXd mass_of(std::size_t e, bool lumped) const;
    void find_loose_motions();
    void factorize();
    [[nodiscard]] double value_of(std::int32_t equation, const std::map<std::int32_t, double>& motion) const;
    [[nodiscard]] Eigen::VectorXd expanded(const Eigen::VectorXd& q, const std::map<std::int32_t, double>& motion) const;
    [[nodiscard]] Eigen::VectorXd reduced(const Eigen::VectorXd& f) const;
    [[nodiscard]] Eigen::MatrixXd solved(const Eigen::MatrixXd& pushed) const;
    void must_be_carried(const Eigen::VectorXd& applied) const;
    void add_reactions(const Eigen::VectorXd& left, StructureState& out) const;
};

/// Loads of some cases at the nodes, and forces of the elements as they are moved in each.
class Recovery {
public:
    Recovery(const Equations::Parts& parts, const std::vector<StructureLoads>& cases);
    /// Forces and moments at nodes, without those of temperature.
    [[nodiscard]] Eigen::VectorXd applied(std::size_t c) const;
    /// Forces with which nodes hold all elements and springs, in each case; fills the states of elements where asked, one for each case.
    [[nodiscard]] std::vector<Eigen::VectorXd> held_by_elements(const std::vector<Eigen::VectorXd>& movements, std::vector<StructureState>* states) const;

private:
    using Movements = std::vector<Eigen::VectorXd>;
    void hold_shells(const Movements& u, Movements& forces, std::vector<StructureState>* states) const;
    void hold_beams(std::size_t c, const Eigen::VectorXd& u, Eigen::VectorXd& forces, StructureState* state) const;
    void hold_solids(const Movements& u, Movements& forces, std::vector<StructureState>* states) const;
    [[nodiscard]] Vec3 beam_force(std::size_t c, std::size_t i) const;
    [[nodiscard]] bool meets(std::int32_t node) const { return p_.layout->meets[static_cast<std::size_t>(node)] != 0; }
    [[nodiscard]] Vector24 shell_forces(std::size_t c, std::size_t i) const;
    [[nodiscard]] Vector24 solid_forces(std::size_t c, std::size_t i) const;
    const Equations::Parts& p_;
    const std::vector<StructureLoads>& cases_;
};

}  // namespace halvo
