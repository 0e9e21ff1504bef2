#pragma once
/// The discretized structure: what the equations of `solve` are made of. Programs can fill it themselves; `solve` fills it from a model's mesh.
/// Units: mm, N, s, so masses are tonnes and stresses MPa.

#include <halvo/types.hpp>

#include <array>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>

namespace halvo {

/// Linear elastic. Isotropic, or orthotropic in the plane of sheets where `young2` is given.
struct Material {
    std::string name;
    double young = 0;      ///< MPa; along `direction` where it is orthotropic
    double poisson = 0;    ///< strain across over strain along, for stress along
    double density = 0;    ///< t/mm3
    double expansion = 0;  ///< 1/K
    double yield = 0;      ///< MPa; carried for those who go on to plasticity, and for the share of it that is used
    double tangent = 0;    ///< MPa; beyond yield, carried as data
    double young2 = 0;     ///< MPa, across `direction`; 0: isotropic
    double shear = 0;      ///< MPa, in the plane and across the thickness of orthotropic sheets
    Vec3 direction = Vec3::UnitX();
    [[nodiscard]] double shear_modulus() const { return young2 > 0 ? shear : young / (2 * (1 + poisson)); }
};

/// Stiffness of a beam's cross-section about its centroid; y and z are the section axes (mm).
struct BeamSection {
    double area = 0, iyy = 0, izz = 0, iyz = 0, j = 0;
    Vec2 shear_centre = Vec2::Zero();                       ///< from the centroid
    Eigen::Matrix2d shear_share = Eigen::Matrix2d::Zero();  ///< area times shear strain over shear force times G; zero: no shear strain
    std::vector<Vec2> outline;                              ///< of the profile, where normal stress is looked at
    double torsion_radius = 0;                              ///< largest shear stress of torsion over torque times J (mm)
};

/// Four or three nodes (the last -1), anticlockwise seen from the side its normal points to.
struct ShellPart {
    std::array<std::int32_t, 4> nodes{-1, -1, -1, -1};
    double thickness = 0;
    double offset = 0;  ///< from the nodes' surface to the middle, along the normal
    std::int32_t material = 0;
    std::int32_t group = 0;  ///< nodes average stress among the shells of one group (a sheet)
    /// Of the surface at the nodes, where it is known better than from the nodes; zero: not known.
    std::array<Vec3, 4> normals{Vec3::Zero(), Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
    [[nodiscard]] int count() const { return nodes[3] < 0 ? 3 : 4; }
};

struct BeamPart {
    std::array<std::int32_t, 2> nodes{-1, -1};
    std::int32_t section = 0;
    std::int32_t material = 0;
    std::int32_t group = 0;                         ///< the member
    Vec3 y = Vec3::UnitY();                         ///< the section's y axis, as far as it is square to the line
    Vec3 arm = Vec3::Zero();                        ///< from both nodes to the centroid of the section
    std::array<std::array<bool, 6>, 2> released{};  ///< at either end: x y z rx ry rz along the beam's own axes (x along it)
};

/// Eight nodes: four of one face, anticlockwise seen from within, and the four opposite them. Nodes of solids alone do not turn.
struct SolidPart {
    std::array<std::int32_t, 8> nodes{-1, -1, -1, -1, -1, -1, -1, -1};
    std::int32_t material = 0;
    std::int32_t group = 0;
};

/// Rigid arm: `slave` moves with `master` as one body.
struct RigidArm {
    std::int32_t master = -1, slave = -1;
};

/// Linear equation between movements: sum of factor times movement = value. Movements are numbered 6 node + (x y z rx ry rz).
struct MotionEquation {
    std::vector<std::pair<std::int64_t, double>> terms;
    double value = 0;
    std::int32_t source = -1;  ///< number of the support that asks for it; -1: of the structure itself
};

struct PointMass {
    std::int32_t node = -1;
    double mass = 0;                                    ///< t
    Eigen::Matrix3d inertia = Eigen::Matrix3d::Zero();  ///< t mm2, about the node
};

/// Spring between a node and the ground.
struct GroundSpring {
    std::int32_t node = -1;
    Eigen::Matrix<double, 6, 6> stiffness = Eigen::Matrix<double, 6, 6>::Zero();  ///< N/mm, N mm/rad
    std::int32_t source = -1;                                                     ///< number of its support
};

struct Structure {
    std::vector<Vec3> nodes;
    std::vector<Material> materials;
    std::vector<BeamSection> sections;
    std::vector<ShellPart> shells;
    std::vector<BeamPart> beams;
    std::vector<SolidPart> solids;
    std::vector<RigidArm> arms;
    std::vector<MotionEquation> equations;
    std::vector<PointMass> masses;
    std::vector<GroundSpring> springs;
};

/// What pushes the structure in one case.
struct StructureLoads {
    Eigen::VectorXd forces;  ///< 6 a node: N, N mm; empty: none
    /// Acceleration that masses are pushed along with, at each node (mm/s2); empty: none. Point masses too.
    std::vector<Vec3> acceleration;
    std::vector<double> shell_pressure;                              ///< along the normal of each shell (MPa); empty: none
    std::vector<Vec3> shell_traction;                                ///< force per area of each shell (MPa); empty: none
    std::vector<Vec3> beam_force;                                    ///< force per length of each beam (N/mm); empty: none
    std::vector<double> shell_warming, beam_warming, solid_warming;  ///< change of temperature (K); empty: none
    std::map<std::int32_t, double> motion;                           ///< by the equation's number: its value times this; not listed: times 1
};

/// Symmetric tensor: xx yy zz xy yz zx, along the file's axes.
using Stress = std::array<double, 6>;
[[nodiscard]] double von_mises(const Stress& s);
/// Largest first, with their directions as columns.
struct PrincipalStress {
    Vec3 values;
    Eigen::Matrix3d directions;
};
[[nodiscard]] PrincipalStress principal(const Stress& s);

/// State of one shell. Forces per length along its own axes (`x` in its plane, y = normal cross x).
struct ShellState {
    Eigen::Matrix<double, 3, 1> force = Eigen::Matrix<double, 3, 1>::Zero();   ///< nx ny nxy (N/mm), at the centre
    Eigen::Matrix<double, 3, 1> moment = Eigen::Matrix<double, 3, 1>::Zero();  ///< mx my mxy (N), at the centre; stress is force/t +- 6 moment/t2
    Eigen::Vector2d shear = Eigen::Vector2d::Zero();                           ///< qx qy (N/mm)
    Vec3 x = Vec3::UnitX(), normal = Vec3::UnitZ();
    std::array<std::array<Stress, 4>, 2> corner{};  ///< on the skin where the normal points to, and on the other; at the corners
    double energy = 0;                              ///< strain energy (N mm)
};

/// Section forces of one beam at its two ends, on the face whose normal points along the beam: N Vy Vz T My Mz at the centroid.
struct BeamState {
    std::array<Eigen::Matrix<double, 6, 1>, 2> force{};
    Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();   ///< columns x (along), y, z
    std::array<double, 2> most_stress{}, least_stress{};  ///< of the normal stress over the profile (MPa)
    std::array<double, 2> von_mises{};                    ///< with torsion and mean shear (MPa)
    double energy = 0;
};

/// State of one solid.
struct SolidState {
    std::array<Stress, 8> corner{};  ///< at its nodes
    double energy = 0;
};

/// With what the elements of one group are held at a node where they meet others: force and moment, those of their own loads taken off.
struct GroupForce {
    std::int32_t node = -1, group = -1;
    bool beams = false;  ///< group of beams, not of shells
    Eigen::Matrix<double, 6, 1> force = Eigen::Matrix<double, 6, 1>::Zero();
};

struct StructureState {
    Eigen::VectorXd movement;                                       ///< 6 a node: mm, rad
    Eigen::VectorXd applied;                                        ///< loads as they act at nodes
    Eigen::VectorXd reaction;                                       ///< of supports: at nodes
    std::map<std::int32_t, Eigen::Matrix<double, 6, 1>> of_source;  ///< force and moment about the origin, by number of the support
    double residual = 0;                                            ///< what is left of loads and reactions, over the loads
    double energy = 0;                                              ///< strain energy (N mm)
    std::vector<ShellState> shells;
    std::vector<BeamState> beams;
    std::vector<SolidState> solids;
    std::vector<GroupForce> meetings;  ///< where groups meet, or arms and equations connect them; by node, then group
};

/// A shape the structure swings in.
struct StructureMode {
    double frequency = 0;      ///< Hz
    Eigen::VectorXd movement;  ///< 6 a node; the largest displacement is 1 mm
};

/// A way the structure can still move.
struct FreeMotion {
    std::vector<std::int32_t> nodes;  ///< that move most
    Eigen::VectorXd movement;         ///< 6 a node
};

/// What structures share that differ in thicknesses, offsets, sections, materials and masses alone: opaque.
struct EquationLayout;

/// The equations of one structure, factorized once. Throws Error{stage} where a motion is left, conditions conflict or a stiffness is zero.
class Equations {
public:
    /// Takes over the layout `like` of earlier equations where it is that of this structure; else makes its own.
    explicit Equations(const Structure& structure, const Observer& observer = {}, std::shared_ptr<const EquationLayout> like = {});
    ~Equations();
    Equations(Equations&&) noexcept;
    Equations& operator=(Equations&&) noexcept;

    [[nodiscard]] std::size_t unknowns() const;
    [[nodiscard]] std::shared_ptr<const EquationLayout> layout() const;
    /// Motions that cost no energy; empty where there are none and `solve` can be called.
    [[nodiscard]] const std::vector<FreeMotion>& free_motions() const;
    /// Numbers of equations that ask for what others forbid; where there are any, `solve` cannot be called.
    [[nodiscard]] std::vector<std::int32_t> conflicts() const;
    [[nodiscard]] StructureState solve(const StructureLoads& loads) const;
    /// All at once: elements are looked at once for all cases.
    [[nodiscard]] std::vector<StructureState> solve(const std::vector<StructureLoads>& cases) const;
    /// The lowest `count` modes, rising. Motions that cost nothing come first, with 0 Hz. Masses consistent or lumped to nodes.
    [[nodiscard]] std::vector<StructureMode> modes(int count, bool lumped = false) const;
    /// Seconds of the last factorization, of assembly, and of all recoveries so far.
    [[nodiscard]] double factor_seconds() const;
    [[nodiscard]] double assembly_seconds() const;
    [[nodiscard]] double recovery_seconds() const;

    struct Parts;

private:
    std::unique_ptr<Parts> p_;
};

/// Stiffness of one element, 6 rows a node: for tests and for those who assemble themselves.
[[nodiscard]] Eigen::MatrixXd shell_stiffness(const std::vector<Vec3>& corners, double thickness, double offset, const Material& material);
/// 3 rows a node.
[[nodiscard]] Eigen::MatrixXd solid_stiffness(const std::array<Vec3, 8>& corners, const Material& material);
[[nodiscard]] Eigen::MatrixXd beam_stiffness(const std::array<Vec3, 2>& ends, const BeamPart& part, const BeamSection& section, const Material& material);

}  // namespace halvo
