#pragma once
/// What the parts of the solution share: the structure, its reduced matrices, and how elements are looked at again.

#include "core/groups.hpp"
#include "solve/beam.hpp"
#include "solve/matrix.hpp"
#include "solve/shell.hpp"

namespace halvo {

struct Equations::Parts {
    Structure structure;
    std::vector<ShellLaw> laws;                      // of each material
    std::vector<std::array<Vec3, 4>> shell_normals;  // at the nodes of each shell
    double size = 1;
    std::optional<Elimination> elimination;
    std::int32_t first_equation = 0;  // number of the structure's first in the elimination
    std::vector<std::int32_t> conflicts;
    std::vector<char> meets;  // is the node one where groups of elements meet, or that arms and equations connect?
    Unknowns unknowns;
    std::optional<Assembler> assembler;
    LowerMatrix stiffness;
    std::unique_ptr<Ordering> ordering;
    std::optional<Factor> factor;
    std::vector<FreeMotion> motions;
    double factor_time = 0, assembly_time = 0;
    mutable double recovery_time = 0;

    [[nodiscard]] ShellShape shell(std::size_t i) const;
    [[nodiscard]] BeamShape beam(std::size_t i) const;
    [[nodiscard]] std::size_t count() const;
    [[nodiscard]] std::vector<std::int32_t> nodes_of(std::size_t e) const;
    [[nodiscard]] Eigen::MatrixXd stiffness_of(std::size_t e) const;
    [[nodiscard]] Eigen::MatrixXd mass_of(std::size_t e, bool lumped) const;
    void eliminate();
    void find_meetings();
    void find_rigid_motions();
    void find_loose_motions();
    void finish_motion(FreeMotion& f) const;
    void factorize();
    [[nodiscard]] double value_of(std::int32_t equation, const std::map<std::int32_t, double>& motion) const;
    [[nodiscard]] Eigen::VectorXd expanded(const Eigen::VectorXd& q, const std::map<std::int32_t, double>& motion) const;
    [[nodiscard]] Eigen::VectorXd reduced(const Eigen::VectorXd& f) const;
    void must_be_carried(const Eigen::VectorXd& applied) const;
    void add_reactions(const Eigen::VectorXd& left, StructureState& out) const;
};

/// Loads of one case at the nodes, and forces of the elements as they are moved.
class Recovery {
public:
    Recovery(const Equations::Parts& parts, const StructureLoads& loads);
    /// Forces and moments at nodes, without those of temperature.
    [[nodiscard]] Eigen::VectorXd applied() const;
    /// Forces with which nodes hold all elements and springs; fills the states of elements where asked.
    [[nodiscard]] Eigen::VectorXd held_by_elements(const Eigen::VectorXd& movement, StructureState* state) const;

private:
    [[nodiscard]] Vec3 beam_force(std::size_t i) const;
    [[nodiscard]] bool meets(std::int32_t node) const { return p_.meets[static_cast<std::size_t>(node)] != 0; }
    [[nodiscard]] Vector24 shell_forces(std::size_t i) const;
    const Equations::Parts& p_;
    const StructureLoads& loads_;
};

}  // namespace halvo
