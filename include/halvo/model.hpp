#pragma once
/// The idealization: a cell complex of vertices, edges, sheets and members. Whatever is joined shares entities by identity.

#include <halvo/assembly.hpp>
#include <halvo/axis.hpp>
#include <halvo/chart.hpp>
#include <halvo/ledger.hpp>
#include <halvo/options.hpp>
#include <halvo/polygons.hpp>

#include <map>

namespace halvo {

struct Vertex {
    Vec3 point = Vec3::Zero();
};

/// Belongs to the model, not to a sheet: everything that meets along it holds the same edge.
struct Edge {
    Curve curve;
    std::array<VertexId, 2> vertices;
    bool step = false;  ///< a sheet's thickness jumps here: it stays although no other sheet uses it
};

struct EdgeUse {
    EdgeId edge;
    bool reversed = false;
};

/// A piece of a sheet bounded by edges. Loops run with the sheet's material on the left seen against its normal; the first is the outer one.
struct Region {
    std::vector<std::vector<EdgeUse>> loops;
    std::vector<EdgeId> embedded;  ///< edges inside the region that others share (slits in the mesh, not in the sheet)
    std::vector<VertexId> points;  ///< vertices inside the region that others share
    double area = 0;               ///< mm2
    double own_area = 0;           ///< part of `area` that lies in the sheet's own body; the rest bridges to a neighbour (mm2)
};

/// Where the two sides lie, from the surfaces of each pair of opposed faces; exact anywhere.
struct ThicknessPiece {
    BaseSurface top, bottom;               ///< surfaces of both faces
    Polygons top_outline, bottom_outline;  ///< in the sheet's chart; say which piece rules where
};
struct ThicknessField {
    std::vector<ThicknessPiece> pieces;
    std::optional<double> constant;  ///< the one thickness of a sheet that no solid is behind; without it the pieces say (mm)
    bool ridge = false;              ///< one side is a sharp inner edge: the pieces' sides meet there, and the further one counts
    /// Lengths along the sheet's normal from chart point `p` to both sides (mm).
    struct Sides {
        double up = 0, down = 0;
        [[nodiscard]] double thickness() const { return up + down; }
        [[nodiscard]] double offset() const { return 0.5 * (up - down); }  ///< from the sheet to the middle
    };
    [[nodiscard]] Sides sides(const Chart& chart, const Vec2& p) const;
    [[nodiscard]] double at(const Chart& chart, const Vec2& p) const { return sides(chart, p).thickness(); }
    [[nodiscard]] const ThicknessPiece& piece_at(const Chart& chart, const Vec2& p) const;
};

struct ThicknessRange {
    double min = 0, mean = 0, max = 0;
};

/// Material of another body that a sheet stands for as well: of a skin merged into it, or a plate that goes on in its plane.
struct BodyShare {
    BodyId body;
    double volume = 0;  ///< mm3
};

/// Midsurface of a wall.
struct Sheet {
    std::string key;
    std::string wall;  ///< key of the wall it is the midsurface of, or of a part of; empty for sheets made by hand
    BodyId body;       ///< index into Assembly::bodies; -1 for sheets made by hand
    Chart chart;       ///< surface of the sheet and its map to the plane
    std::vector<Region> regions;
    ThicknessField field;
    std::vector<int> top_faces, bottom_faces;  ///< faces of the body behind it, on the side of +z and of -z
    ThicknessRange thickness;
    double offset = 0;                           ///< from the reference surface to the middle, along the normal, besides the field's own
    Reference reference = Reference::middle;     ///< where in its wall the plan wants it
    bool placed = false;                         ///< it lies there already; else at the middle
    double growth = 1;                           ///< its area where it lies over the area at which its mean thickness gives its wall's volume
    double deviation = 0;                        ///< of a fitted midsurface from equal distance, at most (mm)
    std::vector<std::vector<Vec2>> own_outline;  ///< the sheet within its own body, in the chart, as halved
    std::vector<BodyShare> shares;               ///< of other bodies than its own
    double trimmed_area = 0;                     ///< overhangs cut off by joints, which the extension of the other sheet stands for, less strips that bridge
                                                 ///< to bodies united with this one (mm2)
    [[nodiscard]] double area() const;
    [[nodiscard]] double own_area() const;
};

/// Cross-section values about the centroid; y and z are the member's section axes.
struct Section {
    std::string key;
    std::string shape;                                       ///< round, tube, rectangular tube, flat, I, channel, angle, tee, solid, ...
    std::vector<std::pair<std::string, double>> dimensions;  ///< by trade name, mm
    double area = 0, iyy = 0, izz = 0, iyz = 0, i1 = 0, i2 = 0;
    double principal_angle = 0;        ///< from y to the first principal axis
    double j = 0;                      ///< torsion constant (mm4)
    double warping = 0;                ///< warping constant about the shear centre (mm6)
    Vec2 shear_centre = Vec2::Zero();  ///< from the centroid
    double depth = 0;                  ///< largest extent of the profile
    /// Shear strain over mean shear stress, from y and z to y and z, times the shear modulus (6/5 for a rectangle); zero: not known, none is taken.
    Eigen::Matrix2d shear_share = Eigen::Matrix2d::Zero();
    double torsion_radius = 0;                ///< largest shear stress of a torque, over torque / j (mm); 0: not known
    std::vector<std::vector<Curve>> profile;  ///< loops in the section's own plane (x = y axis, y = z axis); outer first
};

/// A beam line with its section.
struct Member {
    std::string key;
    BodyId body;
    SectionId section;
    Axis axis;                                  ///< the body's own centroid line, with the section axes
    std::vector<EdgeUse> chain;                 ///< from start to end
    std::array<std::vector<int>, 2> end_faces;  ///< faces of the body that close it at start and end
    double trimmed = 0;                         ///< length of overhangs cut off by joints (mm)
    /// From the member's line to the centroid of its section, along the section axes y and z: members along a sheet share its nodes.
    Vec2 offset = Vec2::Zero();
    [[nodiscard]] double own_length() const { return axis.length(); }  ///< of the line within the body itself (mm)
};

/// From the member's line to the centroid of its section, at the place of its axis nearest to `p` (mm).
[[nodiscard]] Vec3 section_offset(const Member& member, const Vec3& p);

/// Rigid connection between two vertices that stand a distance apart.
struct Link {
    VertexId a, b;
    JointId joint;
};

/// Rigid connection between two edges of equal division, node to node.
struct EdgeLink {
    EdgeId a, b;
    bool reversed = false;  ///< start of `a` faces the end of `b`
    JointId joint;
};

/// Edges whose nodes follow the sheet they lie over, wherever its own nodes are.
struct Tie {
    std::vector<EdgeId> edges;
    SheetId onto;
    JointId joint;
};

/// A solid between others, or a solid region of a thin part, that becomes neither sheet nor member: rigid, with its mass at its centre,
/// and coupled to what it touches. Without volume: the end of a wall at the side of a thicker one, whose sheet it meets at the centre.
struct Coupling {
    std::string key;
    BodyId body;
    VertexId centre;
    double volume = 0;  ///< mm3
    std::vector<EdgeId> edges;
    std::vector<VertexId> vertices;
    std::vector<int> faces;  ///< of a region: skin of the body behind it; empty when it is all of the body
    [[nodiscard]] bool whole_body() const { return volume > 0 && faces.empty(); }
};

/// Material of a body that its sheets do not stand for: fillets and chamfers at the roots of walls. Less than nothing where they stand for
/// more: voids inside the thickness of walls, as bores along them, that sheets run through.
struct RootMaterial {
    BodyId body;
    double volume = 0;  ///< mm3
    std::vector<int> faces;
};

/// A gap just wider than what was closed.
struct NearContact {
    std::string key;
    std::array<BodyId, 2> bodies;
    double gap = 0;
    Vec3 place = Vec3::Zero();
};

/// What was joined to what, between bodies.
struct JointRecord {
    std::string key;
    JointKind kind{};
    std::string a, b;  ///< keys of the sheets or members
    std::array<BodyId, 2> bodies;
    double gap = 0;     ///< distance of the solids before (mm)
    double length = 0;  ///< of the shared line, 0 for a point
    double moved = 0;   ///< how far the furthest extension went (mm)
    EntryState state = EntryState::applied;
    Vec3 place = Vec3::Zero();
};

/// Edge shared by sheets.
struct Seam {
    EdgeId edge;
    SeamKind kind{};
    std::vector<SheetId> sheets;
};

/// What the plan gives a name ([[set]]).
struct ModelSet {
    std::string name;
    std::vector<SheetId> sheets;
    std::vector<MemberId> members;
    std::vector<EdgeId> edges;
    std::vector<VertexId> vertices;
    bool operator==(const ModelSet&) const = default;
};

struct Model {
    Tolerance tolerance;
    std::vector<BodyNames> bodies;  ///< of the solids it stands for, in their order: rules and messages call them by these; empty for models made by hand
    Vec3 shift = Vec3::Zero();      ///< added to the model's coordinates to get those of the file, which plans speak of (mm)
    std::vector<Vertex> vertices;
    std::vector<Edge> edges;
    std::vector<Sheet> sheets;
    std::vector<Section> sections;
    std::vector<Member> members;
    std::vector<Link> links;
    std::vector<EdgeLink> edge_links;
    std::vector<Tie> ties;
    std::vector<Coupling> couplings;
    std::vector<RootMaterial> roots;
    std::vector<JointRecord> joints;
    std::vector<NearContact> near;  ///< gaps beyond reach, up to four times as wide
    std::vector<ModelSet> sets;
    std::vector<VertexId> places;  ///< where the plan wants a node, for loads, supports and masses
    std::vector<Finding> findings;
    std::vector<LedgerEntry> ledger;

    [[nodiscard]] double length(EdgeId e) const { return edges[e.index()].curve.length(); }
    [[nodiscard]] double length(const Member& m) const;
};

/// One use of an edge as the boundary of (or inside) a sheet; inside counts twice.
struct SheetAtEdge {
    SheetId sheet;
    int sides = 0;
};
/// For each edge, the sheets on it.
[[nodiscard]] std::vector<std::vector<SheetAtEdge>> sheets_at_edges(const Model& model);
/// Number of sheet sides on each edge: 0 for member lines, 1 free, 2 shared, 3 tee, 4 cross.
[[nodiscard]] std::vector<int> sides_at_edges(const Model& model);
/// For each edge: do links, ties, members or couplings hold it?
[[nodiscard]] std::vector<bool> held_edges(const Model& model);
/// All edges where two or more different sheets meet, named by kind.
[[nodiscard]] std::vector<Seam> seams(const Model& model);
/// Connected parts: for each sheet, then each member, the number of its part; and how many parts there are.
struct Parts {
    std::vector<int> of_sheet, of_member;
    int count = 0;
};
[[nodiscard]] Parts connected_parts(const Model& model);

/// What must hold of a model and does not.
enum class ViolationKind { dangling_id, edge_off_vertex, open_loop, broken_member, vertices_at_one_place };
[[nodiscard]] const char* violation_name(ViolationKind kind);
struct Violation {
    ViolationKind kind{};
    std::string about;
    Vec3 place = Vec3::Zero();
};
/// Every id exists, curves end at their vertices, loops close, members' lines hang together, no two vertices of a body are one point. Empty where all holds.
[[nodiscard]] std::vector<Violation> validate(const Model& model);

/// Builds a flat sheet from an outer polygon and holes (points in space, planar to tolerance) with constant thickness.
/// For models made by hand; `join` then finds the seams between them.
SheetId add_plate(Model& model, const std::vector<Vec3>& outline, double thickness, const std::vector<std::vector<Vec3>>& holes = {});
/// Adds a straight member; `up` gives the direction of the section's second axis.
MemberId add_member(Model& model, const Vec3& start, const Vec3& end, Section section, const Vec3& up);

}  // namespace halvo
