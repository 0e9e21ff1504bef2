#pragma once
/// The steps of joining, in their order: what finds joints, what settles them, what carries them out.

#include "join/contact_table.hpp"
#include "join/work.hpp"

namespace halvo {

[[nodiscard]] JoinWork prepare(const Model& model, const JoinOptions& options, const JointRules* rules);
void find_sheet_joints(const Model& model, const ContactTable& contacts, JoinWork& work);
/// Joint of two sheets whose skins lie on each other, in the way the plan wants; `gap` is between the skins (mm). `oblique` ones, whose
/// midsurfaces run apart, have no nodes opposite to each other: they are tied.
void join_lap(const Model& model, const ContactTable& contacts, JoinWork& work, std::size_t a, std::size_t b, double gap, bool oblique);
void find_member_joints(const Model& model, const ContactTable& contacts, JoinWork& work);
/// The lines on which the member's profile stands on a sheet are imprinted there and rigid to its end: one node would give a stiffness
/// that the size of elements decides. Lines at the sheet's border or past it are left out; where that is most of them, the node holds it.
void add_footprint(const Model& model, JoinWork& work, std::size_t m, std::size_t s, double at, const Vec3& x);
/// Solids that are neither sheet nor member but touch such: coupled to what they touch.
void find_couplings(const Model& model, const Assembly& solids, const ContactTable& contacts, JoinWork& work);
/// Ends of walls in the side of a thicker piece of another wall that nothing holds yet: each coupled to the place where it, or its line, crosses
/// the other's sheet; true when there are any. After all other joints.
[[nodiscard]] bool find_side_ends(const Model& model, const ContactTable& contacts, JoinWork& work);
/// Edges inside the thickness of another sheet of their solid that nothing holds: tied to it, also rims beside each other where the sheets of
/// one solid do not hang together else; true when there are any. After all other joints.
[[nodiscard]] bool find_thickness_ties(const Model& model, const Assembly& solids, JoinWork& work);
/// A place on the member's line that links go from; moved to one beside it before it is carried out.
[[nodiscard]] Vec3 loose_station(MemberState& s, double at);
/// Places of links on members that are all but one become one.
void settle_stations(JoinWork& work);
/// Overhangs beyond joints are cut all along a side of a sheet or nowhere.
void settle_overhangs(const Model& model, JoinWork& work);
void carry_out(Model& model, JoinWork& work);
/// Member lines that rigid links within `reach` tie together meet at one point, the one that moves them least.
void meet_members(Model& model, const JoinWork& work);

/// A few of the contact points, far from each other.
[[nodiscard]] std::vector<Vec3> spread_points(const std::vector<ContactPoint>& points, std::size_t most);
/// Key of the joint of two entities.
[[nodiscard]] std::string joint_key(std::string a, std::string b);
/// What the plan says of the joint of two entities of two bodies: its last rule that fits, or else what holds for all.
template <class T>
[[nodiscard]] T joint_choice(const JoinWork& work, std::optional<T> JointRule::*what, T all, const std::string& a, BodyId body_a, const std::string& b,
                             BodyId body_b, const Vec3& place) {
    return work.rules ? work.rules->choice(what, all, joint_key(a, b), body_a, body_b, place) : all;
}
/// Edges of bodies that the plan ties to sheets of others.
void find_ties(const Model& model, const Assembly& solids, JoinWork& work);
/// Sheets that close a strip between two edges, as the plan names them, with their joints still to be recorded.
[[nodiscard]] std::vector<JointRecord> close_strips(Model& model, const Assembly& solids, const JoinOptions& options);
/// Edges that the plan carries to a sheet.
void find_named_joints(const Model& model, const Assembly& solids, JoinWork& work);
/// Vertices at the places that the plan names.
void find_points(const Model& model, const Assembly& solids, JoinWork& work);
/// Pieces of walls that are narrower than thick and that nothing joins to the rest of their body go, with a ledger entry.
void drop_stray_parts(Model& model, const Assembly& solids);
/// Coplanar sheets of several bodies that share edges become one each; true when there were any.
bool unite_coplanar(Model& model, const Assembly& solids);
/// Is a place on a sheet's surface within the sheet, or up to `beside` (mm) past its boundary? Where a closed surface is cut open, either side counts.
[[nodiscard]] bool on_sheet(const Sheet& sheet, const SheetState& state, const Vec3& p, double beside);
/// Edges of a sheet but for the cuts of a closed surface, which a loop runs along twice.
[[nodiscard]] std::vector<const Curve*> border_of(const Model& model, const Sheet& sheet);
/// Foot on a sheet; outside its boundary, or closer to it than `within`, the nearest point of the boundary, or the vertex next to that.
[[nodiscard]] Vec3 snapped_to_sheet(const Model& model, const SheetState& state, const Sheet& sheet, const Vec3& p, double within);

/// A joint still to be added, with the gap and the middle of the contact, if there are points of one.
[[nodiscard]] JointRecord joint_record(JointKind kind, const std::string& a, BodyId body_a, const std::string& b, BodyId body_b,
                                       const std::vector<ContactPoint>& contact = {});

/// Adds a joint: its number, -1 when it is refused, -2 when an earlier run recorded it already.
int add_joint(const Model& model, JoinWork& work, JointRecord joint);

/// Where a sheet reaches a line in its plane: inside it, along its edge, or by extending an edge.
struct LineReach {
    double lo, hi;
    bool extension = false;
    BoundaryEdge edge;
    double low_foot = 0, high_foot = 0;  ///< on the line, of the edge's two ends, in line order
    Vec3 low_from = Vec3::Zero(), high_from = Vec3::Zero();
    double moved = 0;
};
[[nodiscard]] std::vector<LineReach> line_reaches(const Chart& chart, const SheetState& s, const Vec3& p, const Vec3& d, double furthest, double tol);

/// Where two neighbouring edges of a sheet were carried on, each to its own line, the corner between both strips is part of it too.
void fill_corners(const Model& model, JoinWork& work);

/// Adds the strip between an edge and the line, limited to [lo, hi], to the sheet.
void extend_to_line(const Model& model, JoinWork& work, int sheet, const LineReach& r, const Vec3& p, const Vec3& d, double lo, double hi);

}  // namespace halvo
