#pragma once
#include <halvo/model.hpp>

namespace halvo {

enum class ElementKind : std::uint8_t { shell = 0, beam = 1, rigid = 2 };

/// Shell (three or four nodes), beam or rigid link (two nodes).
struct Element {
    std::array<std::int32_t, 4> nodes{-1, -1, -1, -1};
    std::uint8_t count = 0;
    ElementKind kind = ElementKind::shell;
    SheetId sheet;
    MemberId member;
    BodyId body;
    SectionId section;
    double thickness = 0;
    double offset = 0;
    double quality = 1;                  ///< scaled Jacobian of shells, 1 on lines
    Vec3 section_offset = Vec3::Zero();  ///< on members: from their line to the centroid of the section (mm)
    double own_thickness = 0;            ///< of shells: the wall's, whatever the plan says; 0 where it is not known (mesh of a model file)
    double own_offset = 0;
};

struct MeshQuality {
    double min_scaled_jacobian = 1, mean_scaled_jacobian = 1, max_aspect = 1, max_warpage = 0, quad_share = 1;
};

/// A node that follows the shell element it lies over as if fixed to it: its displacement is the weighted sum of those of the
/// element's nodes, plus their weighted rotation times `arm`; so rigid motions are exact.
struct TiedNode {
    std::int32_t node = -1, element = -1;
    std::array<double, 4> weights{};  ///< of the element's nodes
    Vec3 arm = Vec3::Zero();          ///< from the place on the element to the node (mm)
};

struct Mesh {
    std::vector<Vec3> nodes;
    std::vector<Element> elements;
    int quads = 0, trias = 0, lines = 0, links = 0;
    int parts = 0;                ///< connected parts by shared nodes
    double free_edge_length = 0;  ///< of element edges with one shell and no line on them
    MeshQuality quality;
    std::vector<TiedNode> ties;
    std::vector<Finding> findings;    ///< elements outside the limits, rules that pick nothing
    std::vector<LedgerEntry> ledger;  ///< thicknesses by the plan, edges closed to a point, short element edges
};

/// Conforming mesh, quads first. Every edge of the model is divided once; member nodes are sheet nodes where they touch. Throws Error{usage}
/// where a rule names bodies and the model (made by hand) has no names of bodies, Error{input} where it has no such body.
[[nodiscard]] Mesh mesh(const Model& model, const MeshOptions& options = {}, const Observer& observer = {});

/// Gives the shells and members of a mesh that was made of this model with the options `before` the thicknesses and offsets that `options` ask for, as if it
/// were made with these. Nothing is changed, and false returned, where they differ in more than thicknesses.
[[nodiscard]] bool change_thicknesses(Mesh& mesh, const Model& model, const MeshOptions& options, const MeshOptions& before);

/// Gives nodes and elements that an earlier mesh had, at the same places and on the same sheets and members, their numbers there.
/// What is new takes the numbers that have become free, lowest first. Returns how many nodes kept theirs.
int keep_numbers(Mesh& mesh, const Mesh& before);

/// Thickness that the options (without names of bodies) give each sheet instead of its wall's own; 0 where they give none.
[[nodiscard]] std::vector<double> wanted_thicknesses(const Model& model, const MeshOptions& options);

/// Edges so short that the mesh closes them to a point.
[[nodiscard]] std::vector<EdgeId> bridged_edges(const Model& model, const MeshOptions& options);

/// Scaled Jacobian of a triangle or quad, as defined in the Verdict library's report (Stimpson et al., SAND2007-1751).
[[nodiscard]] double scaled_jacobian(const std::vector<Vec3>& corners);

}  // namespace halvo
