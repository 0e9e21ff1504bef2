#pragma once
/// Options of the stages: plain structs, lengths in mm. The plan file fills them; the defaults stand for a file alone.

#include <halvo/types.hpp>

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace halvo {

/// Moves bodies, or adds copies of them, before anything else is done ([[place]]).
struct PlaceRule {
    std::vector<std::string> body;                          ///< names or paths with wildcards, or numbers as survey lists them
    Vec3 move = Vec3::Zero();                               ///< (mm)
    double turn = 0;                                        ///< about the axis, before the move (rad)
    std::array<Vec3, 2> axis{Vec3::Zero(), Vec3::UnitZ()};  ///< two points of the axis (mm, as the file has them)
    int copies = 0;                                         ///< so many more, each moved and turned once more than the one before; 0 moves the body itself
};

struct SourceOptions {
    std::string file;  ///< STEP, IGES, STL, OBJ or PLY file, gzip-compressed or not; relative to the plan
    std::string unit;  ///< what one unit of a file without units is; STEP and IGES say their own: a differing value is an error
    /// Take only these: 1-based number or range as survey lists them ("7", "3-9"), name or path with wildcards ("bolt*"),
    /// "class=thin", "layer=frame", "size<20 mm", "size>2 m". Empty takes all.
    std::vector<std::string> body;
    std::vector<std::string> only;  ///< the same patterns; what both lists take stays
    std::vector<std::string> skip;  ///< the same patterns; left out whatever else takes them
    std::vector<PlaceRule> places;  ///< in their order
};

struct SurveyOptions {
    double thickest = std::numeric_limits<double>::infinity();  ///< walls thicker than this are not walls
    double thinnest = 0;                                        ///< walls thinner than this are not walls
    double slender = 8;                                         ///< a member is at least this many times as long as its profile is deep
    double flat = 10;                                           ///< a flat bar at least this many times as wide as thick counts as a thin plate
    double near = 1;                                            ///< bodies with a gap up to this nearly touch
    std::optional<double> tiny;                                 ///< bodies smaller than this in all directions are tiny; else a thousandth of the model
    std::optional<double> narrow;  ///< edges shorter and faces narrower than this are findings; else a twentieth of the body's wall
    std::optional<double> holes;   ///< strip.holes: holes up to this diameter are small; else those no wider than the wall is thick
    std::optional<double> rounds;  ///< strip.rounds: rounds up to this radius are small; else those below half the wall's thickness
    std::optional<double> raised;  ///< strip.raised: raised and sunk features up to this height are lettering; else half the wall's thickness
};

/// Bodies that run into each other: left to join, the smaller one cut back to the other's skin, or a plane face of it moved back to that.
enum class OverlapAs : std::uint8_t { leave, cut, move };

/// What is done to a skin that is open, in pieces, or turned ([mend]).
struct MendOptions {
    std::optional<double> sew;  ///< free edges within this distance are connected (mm); else ten times the file's stated precision
    bool fill = true;           ///< openings of solids are closed
    bool merge = true;          ///< faces that are one face in pieces become one, and so do edges
    OverlapAs overlap = OverlapAs::leave;
    double gaps = 0;                  ///< between plane faces of two bodies, up to which the smaller one's face is moved up to the other (mm)
    std::vector<std::string> refuse;  ///< keys of what is not to be mended
    std::vector<std::string> force;   ///< keys of what is mended although it is only proposed
    bool surfaces_stay = false;       ///< surfaces become sheets (halve.thickness): they are sewn, and not closed to solids
};

/// What the plan says of single features ([[strip]]): which ones, and whether they go. What is not given fits any.
struct StripRule {
    std::vector<std::string> body;                                  ///< names or paths with wildcards, or numbers
    std::vector<std::string> id;                                    ///< keys of features
    std::vector<std::string> like;                                  ///< keys of features: all of the same kind, form and size as one of these
    std::string feature;                                            ///< "holes", "rounds", "chamfers", "raised", "sunk", "slivers"; empty: any
    double from = 0, to = std::numeric_limits<double>::infinity();  ///< of their size (mm)
    std::optional<Box3> within;                                     ///< features whose place lies in it (mm, as the file has them)
    bool keep = false;                                              ///< stays; else goes
};

/// Which part a cut leaves: that where its normal points, the other, or both as bodies of their own.
enum class CutKeeps : std::uint8_t { front, back, both };

/// A plane that cuts bodies ([[cut]]).
struct CutRule {
    std::vector<std::string> body;  ///< names or paths with wildcards, or numbers; empty: all
    std::string name;               ///< of the set of edges on the plane; "cut 1" and so on where it is empty
    Vec3 point = Vec3::Zero();      ///< on the plane (mm, as the file has them)
    Vec3 normal = Vec3::Zero();
    CutKeeps keep = CutKeeps::front;
    bool symmetry = false;  ///< the part goes on behind the plane as its mirror image
};

/// A limit that is given is an order: features up to and with it go. Without one they are only proposed.
struct StripOptions {
    std::optional<double> holes;     ///< diameter, or largest extent of those that are not round (mm)
    std::optional<double> rounds;    ///< radius (mm)
    std::optional<double> chamfers;  ///< leg (mm)
    std::optional<double> raised;    ///< height of what stands out, depth of what is sunk (mm)
    /// Width of faces too narrow for an element, steps among them (mm); else the file's stated precision.
    std::optional<double> slivers;
    std::vector<std::string> refuse;  ///< keys of features that stay
    std::vector<std::string> keep;    ///< the same
    std::vector<std::string> force;   ///< keys of features that go
    std::vector<StripRule> rules;     ///< later ones overrule earlier ones, and the limits
    std::vector<CutRule> cuts;        ///< in their order, after what goes has gone
};

enum class SlenderAs { beams, shells };
enum class StepsAs { continuous, separate };
/// Openings that another body lies over on one side: open, or filled as if the plan named them.
enum class CoveredAs : std::uint8_t { open, filled };
/// Where a sheet lies in its wall. Outer is the convex side: that with more skin, over all walls that go on in each other.
enum class Reference : std::uint8_t { middle, outer, inner };
/// How a midsurface is found: exact where both sides are of a kind and fitted otherwise, or always one of these, or one side
/// moved by half the thickness.
enum class MidMethod : std::uint8_t { automatic, exact, fitted, offset };

/// Solid that is neither thin nor slender: rigid with its mass, coupled to what it touches, or left out and named. A solid
/// region of a thin part may also become a sheet as thick as it is.
enum class BulkAs : std::uint8_t { coupling, named, sheet };

/// What the plan says of single walls ([[wall]]): which ones, and what is to be done with them. What is not given fits any wall.
struct WallRule {
    std::vector<std::string> body;  ///< names or paths with wildcards, or numbers as survey lists them
    std::vector<std::string> wall;  ///< keys
    std::vector<int> faces;         ///< as `halvo list MODEL walls` numbers them, from 1: one, or two that are opposed
    std::vector<Vec3> points;       ///< on one face, or on each of two (mm, as the file has them)
    std::optional<Box3> within;     ///< walls whose opposed faces lie in it (mm, as the file has them)
    bool refuse = false;
    std::optional<Reference> reference;
    std::optional<MidMethod> method;
    std::optional<double> openings;   ///< holes and notches no larger than this do not open its sheet (mm)
    std::optional<double> thickness;  ///< with one face: it alone becomes a sheet of this thickness (mm)
    std::optional<double> offset;     ///< with one face: from it outward to the sheet; without it half the thickness inward (mm)
    /// Two faces, named or pointed at: they are a wall whatever the limits say.
    [[nodiscard]] bool pair() const { return faces.size() + points.size() == 2; }
    [[nodiscard]] bool face_alone() const { return faces.size() + points.size() == 1 && thickness; }
};

/// A sheet through given points ([[patch]]): four sides or any other number of them, over the skin of a body of facets.
struct PatchRule {
    std::string body;                      ///< name, path or number
    std::vector<std::vector<Vec3>> sides;  ///< points from corner to corner, one list a side; each ends where the next begins (mm, as the file has them)
    std::vector<Vec3> edges;               ///< or a point on each edge of the body that is a side, one after the other (mm, as the file has them)
    double thickness = 0;                  ///< (mm)
};

struct HalveOptions {
    SurveyOptions survey;  ///< thickness range and slenderness
    SlenderAs slender = SlenderAs::beams;
    /// Walls that hang together through a step in thickness: one sheet whose thickness jumps and whose offset keeps each piece at its
    /// own middle, or a sheet each with rigid links across.
    StepsAs steps = StepsAs::continuous;
    double openings = 0;            ///< holes and notches no larger than this do not open a sheet (mm)
    std::vector<std::string> fill;  ///< keys of openings that do not open a sheet, whatever their size
    std::vector<std::string> keep;  ///< keys of openings that do
    CoveredAs covered = CoveredAs::open;
    std::optional<double> thickness;  ///< of surfaces without a solid; without it they get no sheet (mm)
    double draft = 10 * pi / 180;     ///< largest angle between opposed faces
    double slimness = 0.4;            ///< a wall is at most this share of its own width thick
    std::vector<std::string> refuse;  ///< keys of walls not to be made
    Reference reference = Reference::middle;
    MidMethod method = MidMethod::automatic;
    BulkAs bulk = BulkAs::coupling;  ///< solid regions of thin parts
    std::vector<WallRule> walls;     ///< later ones overrule earlier ones
    std::vector<PatchRule> patches;
};

/// Axes of members that miss each other: rigid links between, or moved to one point.
enum class MembersMeet : std::uint8_t { link, meet };
/// Members along a sheet: their line lies in the sheet and the section stands off; the same with the section's skin brought to the sheet's
/// far side; or they stay at their own axis with rigid links between.
enum class AlongSheet : std::uint8_t { offset, flush, link };
/// Sheets whose skins lie on each other: matched imprints with rigid links, the one tied to the other, or one sheet as thick as both.
enum class LapsAs : std::uint8_t { link, tie, merge };
/// Sheets of several bodies that go on in one plane: one each with a shared edge, or one.
enum class CoplanarAs : std::uint8_t { separate, one_sheet };
/// Sheets of two bodies that meet at an angle: carried on to a shared edge, or the edge of the one tied to the other where it is.
enum class EdgesAs : std::uint8_t { carry, tie };
/// A strip closed between two edges: none, straight across, or going on smoothly from both.
enum class StripAs : std::uint8_t { none, straight, tangent };
/// Ends of members on larger sheets: rigid to the lines on which the profile stands there, or to one node.
enum class EndsAs : std::uint8_t { footprint, node };
/// Bolts, rivets and pins: a line between the bodies they hold, stiff to the rim of each hole; rigid as a whole; or left out.
enum class FastenersAs : std::uint8_t { line, rigid, left_out };
/// Sheets that end in the middle of others (ribs): there, sharing its edge; or at its skin, rigid across the half thickness.
enum class StartAs : std::uint8_t { middle, skin };
/// What the plan says of single joints ([[joint]]): which ones, and what is to be done with them.
struct JointRule {
    std::vector<std::string> id;                      ///< keys of joints
    std::array<std::vector<std::string>, 2> between;  ///< bodies on either side: names or paths with wildcards, or numbers; empty: any
    std::optional<Box3> within;                       ///< joints whose contact lies in it (mm, as the file has them)
    bool refuse = false;
    bool force = false;                  ///< whatever an earlier rule refuses, and gaps up to four times the reach, by the keys of gaps too
    std::optional<double> reach;         ///< gaps closed between these bodies (mm)
    std::optional<LapsAs> laps;          ///< how their skins are joined where they lie on each other
    std::optional<EdgesAs> edges;        ///< how their sheets are joined where they meet at an angle
    std::optional<AlongSheet> along;     ///< how a member along a sheet is
    std::optional<MembersMeet> members;  ///< how members are whose axes miss each other
    std::vector<Vec3> points;            ///< one on each of two bodies: their gap is closed there, however wide (mm, as the file has them)
    std::vector<Vec3> edge, to;          ///< a point on a free edge, and one on the sheet or edge it is carried to, however far (mm, as the file has them)
    StripAs strip = StripAs::none;       ///< or what is closed between that edge and the one at `to`
};

/// A frame of reference ([[frame]]): by an origin and directions, or taken from an edge of the model by a point next to it.
struct FrameRule {
    enum class Kind : std::uint8_t { cartesian, cylindrical, spherical };
    std::string name;
    Kind kind = Kind::cartesian;
    Vec3 origin = Vec3::Zero();  ///< (mm, as the file has it)
    std::optional<Vec3> z, x;    ///< directions; what is not given is the file's
    std::optional<Vec3> circle;  ///< next to a round edge or sheet: origin at its centre, z along its axis (mm, as the file has it)
    std::optional<Vec3> edge;    ///< next to an edge: origin at its start, x along it (mm, as the file has it)
};

/// What a set is of.
enum class SetOf : std::uint8_t { any, sheets, members, edges, vertices, nodes, elements };

/// A named choice ([[set]]): what fits all that is given. Rules mean it by the id "set=NAME".
struct SetRule {
    std::string name;
    SetOf of = SetOf::any;                         ///< any: sheets and members, or edges by points
    std::vector<std::string> body;                 ///< names or paths with wildcards, or numbers
    std::vector<std::string> id;                   ///< keys of sheets, walls or members
    std::vector<std::string> surface;              ///< plane, cylinder, cone, sphere, torus, free: sheets alone
    std::optional<double> thinner, thicker;        ///< mean thickness at most and at least; sheets alone (mm)
    std::optional<Box3> within;                    ///< what lies in it (mm, as the file has them)
    std::vector<Vec3> points;                      ///< the edges next to these, and no sheets or members (mm, as the file has them)
    std::string where;                             ///< an expression over what things are and where they lie; docs/plan.md has its words
    std::string frame;                             ///< of `where`; else the file's axes
    std::vector<std::string> plus, minus, common;  ///< names of sets: with all of those, without any of those, only what is in each of those
    std::string place;                             ///< file and line it stands in, for messages
};

/// Edges of some bodies tied to the sheets of others ([[tie]]).
struct TieRule {
    std::array<std::vector<std::string>, 2> between;  ///< edges of these, on sheets of those: names or paths with wildcards, or numbers
    std::optional<Box3> within;                       ///< edges that lie in it (mm, as the file has them)
    double reach = 0;                                 ///< skins at most so far apart (mm)
};

struct JoinOptions {
    double reach = 0.5;               ///< gaps up to this are closed
    std::vector<std::string> refuse;  ///< keys of joints not to be made
    std::optional<double> overhang;   ///< member ends that stand out past a joint by up to this are cut; else what the other is deep
    MembersMeet members = MembersMeet::link;
    AlongSheet along = AlongSheet::offset;
    EndsAs ends = EndsAs::footprint;
    FastenersAs fasteners = FastenersAs::line;
    StartAs start = StartAs::middle;
    BulkAs bulk = BulkAs::coupling;
    LapsAs laps = LapsAs::link;
    CoplanarAs coplanar = CoplanarAs::separate;
    std::vector<JointRule> joints;  ///< later ones overrule earlier ones
    std::vector<TieRule> ties;
    std::vector<SetRule> sets;
    std::vector<FrameRule> frames;
    std::vector<Vec3> points;  ///< places that get a vertex of their own, for loads and masses (mm, as the file has them)
};

/// What an element should keep to; each measure as src/mesh/quality defines it. 0 asks nothing.
struct QualityLimits {
    double scaled_jacobian = 0.3;                         ///< at least
    double aspect = 10;                                   ///< at most
    double warpage = 15;                                  ///< at most (degrees)
    double skew = 65;                                     ///< at most (degrees)
    double taper = 0.8;                                   ///< at most
    double least_quad_angle = 25, most_quad_angle = 155;  ///< corner angles (degrees)
    double least_tria_angle = 15, most_tria_angle = 140;
    double tria_share = 0.1;  ///< of the shells, at most
    bool operator==(const QualityLimits&) const = default;
};

/// Another element size for some sheets ([[size]]).
struct SizeRule {
    std::vector<std::string> body;   ///< names or paths with wildcards, or numbers
    std::vector<std::string> sheet;  ///< keys of sheets, of their walls or of members, or "set=NAME"
    std::optional<Box3> within;      ///< sheets that lie in it (mm, as the file has them)
    std::optional<double> size;      ///< (mm)
    std::vector<Vec3> points;        ///< on edges, instead of sheets (mm, as the file has them)
    std::optional<int> count;        ///< of elements on these edges
    bool operator==(const SizeRule&) const;
};

/// Rows of quads round the holes in a range of diameters ([[hole]]).
struct HoleRule {
    double from = 0, to = std::numeric_limits<double>::infinity();  ///< diameters (mm)
    std::optional<int> rings;                                       ///< rows
    std::optional<double> width;                                    ///< of each (mm)
    std::optional<double> share;                                    ///< or that as a share of the hole's radius
    std::optional<int> around;                                      ///< at least so many elements
    bool operator==(const HoleRule&) const = default;
};

struct MeshOptions {
    std::optional<double> size;        ///< wanted element edge; else one hundredth of the model, at least twice the thickest wall
    std::optional<double> smallest;    ///< least element edge wanted on curved edges; else a fifth of size
    std::optional<double> largest;     ///< largest element edge; else one and a half times the size
    std::optional<double> angle;       ///< an element spans at most this of a curve (rad); else 46 degrees of an edge, 31 where the sheet is bent
    std::optional<double> chord;       ///< element edges stand off curves by at most this (mm); else no such bound
    int across = 1;                    ///< at least so many elements across a rib, flange or other strip
    int rings = 1;                     ///< rows of quads round a hole, where there is room
    std::optional<double> ring_width;  ///< of each row; else by the size and the hole's own divisions
    std::optional<double> ring_share;  ///< of the hole's radius, instead
    std::vector<HoleRule> holes;       ///< later ones overrule earlier ones
    std::optional<int> around;         ///< at least so many elements round a hole; else by size and angle
    int along_member = 1;              ///< at least so many elements on a member
    std::optional<int> bend_rows;      ///< so many rows of elements round a bend; else by size and angle
    std::optional<double>
        feature;  ///< where an outline turns by no more than this it has no node of its own (rad); else only next to short pieces it runs on smoothly in
    double bridge = 0.1;                ///< edges shorter than this share of the size are closed to a point of the mesh
    double growth = 1.3;                ///< from a finer sheet's border on, elements grow by about this factor each
    std::vector<SizeRule> sizes;        ///< later ones overrule earlier ones
    std::vector<SizeRule> thicknesses;  ///< sheets given another thickness (in `size`) about the same middle
    QualityLimits limits;
    bool operator==(const MeshOptions&) const = default;
};

struct ProveOptions {
    double volume = 0.015;  ///< largest volume error of a thin or slender body
    double mesh = 0.03;     ///< largest error of what its mesh holds of it, chords of curved sheets and all
    bool strict = false;    ///< exit 5 when a bound is not kept
};

}  // namespace halvo
