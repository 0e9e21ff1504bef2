#pragma once
#include <halvo/mesh.hpp>
#include <halvo/survey.hpp>

namespace halvo {

struct BodyProof {
    double solid = 0;       ///< volume of the solid (mm3)
    double idealized = 0;   ///< volume its sheets and members stand for within the body itself, junctions counted once
    double bridged = 0;     ///< further volume in the mesh: extensions into neighbours and material doubled at junctions
    double error = 0;       ///< idealized / solid - 1; -1 for a solid that nothing in the mesh stands for
    double meshed = 0;      ///< volume of its elements as an analysis program sees it: areas by thickness, lines by section, couplings (mm3)
    double mesh_net = 0;    ///< of that: within the body itself, material that several slabs hold counted once
    double mesh_error = 0;  ///< mesh_net / solid - 1
    double left_out = 0;    ///< volume of fillets at the roots of walls, which no sheet stands for; the bound is on what else is missing
    double filled = 0;      ///< volume of voids inside the thickness of walls, which sheets run through; the bound is on what else is too much
};

/// A place where two solids touch (or lie within reach) and whether the model carries it.
struct ContactProof {
    BodyId a, b;
    Vec3 place = Vec3::Zero();
    double gap = 0;
    bool joined = false;
};

/// A connected piece of a body's skin that no sheet accounts for.
struct UncoveredPatch {
    BodyId body;
    double area = 0;  ///< mm2
    Vec3 place = Vec3::Zero();
    std::vector<int> facets;  ///< of the body
};

/// Spread of a figure measured at every shell element, and where it is worst.
struct Spread {
    double mean = 0, high = 0, worst = 0;  ///< `high` is the 95th percentile
    Vec3 place = Vec3::Zero();
    int count = 0;
};

struct Proof {
    std::vector<BodyProof> bodies;
    double volume_error = 0;  ///< over all thin and slender bodies
    double mass_error = 0;    ///< of the mesh as it is, material doubled at junctions and all, over all of these bodies
    double worst_mesh_error = 0;
    BodyId worst_mesh_body;
    double worst_body_error = 0;
    BodyId worst_body;
    double centroid_error = 0;              ///< distance of mass centres (mm)
    double coverage = 0;                    ///< share of the skin of bodies with sheets or members that these account for
    double thickness_error = 0;             ///< largest relative difference of element thickness to a ray through the solid, 99th percentile
    Spread thickness;                       ///< relative difference of element thickness to a ray through the solid
    Spread deviation;                       ///< distance of the modelled middle from equal distance to both sides of the solid (mm)
    std::vector<UncoveredPatch> uncovered;  ///< largest first
    int parts = 0;
    int rigid_body_modes = 0;  ///< six for each connected part, and one for each mechanism
    int mechanisms = 0;        ///< motions that nothing in the model resists, beyond those
    std::vector<ContactProof> contacts;
    std::vector<BodyId> split_bodies;  ///< bodies whose sheets do not hang together
    bool within_bounds = true;
    std::vector<std::string> outside;  ///< what is outside its bound, in words
    std::vector<Finding> findings;     ///< contacts without a joint, bodies in parts, mechanisms, edges beside what they are not joined to
    std::vector<LedgerEntry> ledger;   ///< members that nothing but the drilling stiffness of sheets keeps from spinning
};

/// Compares the idealization with the solids. Contacts are found from the solids alone, not from what `join` did.
[[nodiscard]] Proof prove(const Assembly& solids, const Model& model, const Mesh& mesh, const ProveOptions& options = {}, double reach = JoinOptions{}.reach,
                          const Observer& observer = {});

}  // namespace halvo
