#pragma once
/// What joining is going to do, gathered before anything is changed.

#include "body/contacts.hpp"
#include "join/joint_rules.hpp"
#include "model/arrangement.hpp"

#include <halvo/join.hpp>

#include <set>

namespace halvo {

/// A straight boundary edge of a sheet with what continues it at both ends.
struct BoundaryEdge {
    Vec3 from = Vec3::Zero(), to = Vec3::Zero();       ///< in the sense of the loop, material on the left
    Vec3 out = Vec3::Zero();                           ///< in the sheet, away from the material
    Vec3 before = Vec3::Zero(), after = Vec3::Zero();  ///< unit directions in which the neighbouring edges would run on past `from` and `to`; zero when curved
    EdgeId edge;
};

struct SheetState {
    std::vector<std::vector<Vec2>> polygons;  ///< all regions
    std::vector<BoundaryEdge> edges;
    std::vector<std::vector<Vec2>> extensions;  ///< polygons to be added
    /// A strip added between an edge and a line: ends of the edge that it takes whole, and their feet on the line.
    struct Strip {
        Vec3 from, foot, direction;
    };
    std::vector<Strip> strips;
    std::set<int> extended;                    ///< edges that a joint carried on: no longer the sheet's border
    std::vector<int> curves;                   ///< new curves on its surface
    std::vector<int> cuts;                     ///< those among them along which a closed surface is cut open
    std::vector<std::pair<int, Vec3>> points;  ///< wanted vertices: number of the input point, place
    struct Trim {
        Vec3 point, direction;            ///< seam line
        double lo, hi;                    ///< where the joint is, along it
        int partner;                      ///< sheet whose slab is cleared
        bool above = true, below = true;  ///< on which of the partner's sides it is
    };
    std::vector<Trim> trims;
    Box3 box;
    double thickest = 0;
    double deepest = 0;  ///< how far the wall's sides are from the sheet at most
};

struct MemberState {
    Axis axis;                  ///< positions are lengths from its start
    double start = 0, end = 0;  ///< as it is now
    struct Demand {
        double at;
        bool weak;  ///< cuts an overhang, but yields to anything further out
    };
    std::vector<Demand> at_start, at_end;
    std::vector<double> splits;
    std::vector<double> loose;   ///< further ones, of links, which may move a little: see settle_stations
    std::vector<int> in_sheets;  ///< sheets whose plane its axis lies in and that extend to it
    double depth = 0;
    std::vector<int> curves;    ///< of its line, one after the other
    Vec2 shift = Vec2::Zero();  ///< from the axis to the member's line, along the section axes: into a sheet that it runs along
    [[nodiscard]] bool shifted() const { return shift != Vec2::Zero(); }
    [[nodiscard]] Vec3 at(double s) const { return axis.at(s); }
    [[nodiscard]] Vec3 direction(double s) const { return axis.direction(s); }
    [[nodiscard]] Vec3 line(double s) const { return axis.frame(s).at(shift); }
    [[nodiscard]] double parameter(const Vec3& p) const { return axis.parameter(p); }
};

struct PointLink {
    Vec3 a, b;
    int joint;
};

struct LineLink {
    int a_curve, b_curve;  ///< matched: imprint or edge, and member axis or imprint
    double lo, hi;         ///< range along curve `b` where it holds, when b is a member's axis
    int b_member = -1;
    int joint;
};

/// Edges tied to the sheet they lie over.
struct TieWork {
    std::vector<int> curves;
    int onto;  ///< sheet
    int joint;
};

/// The part of one sheet that lies over another and becomes one with it.
struct MergeWork {
    int keeper, lost;  ///< sheets
    ThicknessPiece piece;
};

/// A rigid solid and what it is coupled to.
struct CouplingWork {
    std::string key;
    BodyId body;
    Vec3 centre = Vec3::Zero();
    double volume = 0;
    std::vector<int> curves;
    std::vector<Vec3> points;
    std::vector<int> faces;
};

struct JoinWork {
    std::vector<SheetState> sheets;
    std::vector<MemberState> members;
    std::vector<Curve> curves;  ///< new curves, numbered after those of the model's edges
    std::vector<LineLink> line_links;
    std::vector<PointLink> point_links;
    std::vector<TieWork> ties;
    std::vector<std::pair<std::size_t, std::size_t>> tied;  ///< sheets that the plan wants tied where they meet
    std::vector<MergeWork> merges;
    std::vector<int> steps;  ///< curves at which a sheet's thickness jumps
    std::vector<CouplingWork> couplings;
    std::vector<JointRecord> joints;
    std::set<std::string> refused;
    std::vector<Vec3> places;       ///< where the plan wants a vertex
    std::vector<std::string> idle;  ///< rules without effect, one line each
    const JoinOptions* options = nullptr;
    const JointRules* rules = nullptr;  ///< nothing when a model was made by hand
    double reach = 0, tol = 0;
    int first_curve = 0;     ///< number of the first new curve
    bool as_joined = false;  ///< what the sheets hold of their own body is right already, but its border is no edge

    int add_curve(const Curve& c) {
        curves.push_back(c);
        return first_curve + static_cast<int>(curves.size()) - 1;
    }
};

/// Contacts between two bodies, as far as the joints need them; empty list of pairs when a model was made by hand.
class ContactTable {
public:
    ContactTable() = default;
    explicit ContactTable(std::vector<Contact> contacts) : known_(true) {
        for (Contact& c : contacts) {
            auto& list = of_[{c.a, c.b}];
            list.insert(list.end(), c.points.begin(), c.points.end());
        }
    }
    [[nodiscard]] bool known() const { return known_; }
    /// Points of contact of the bodies, faces of `a` first.
    [[nodiscard]] std::vector<ContactPoint> between(BodyId a, BodyId b) const {
        const auto it = of_.find({std::min(a, b), std::max(a, b)});
        if (it == of_.end()) return {};
        auto list = it->second;
        if (a > b)
            for (ContactPoint& p : list) std::swap(p.face_a, p.face_b);
        return list;
    }
    [[nodiscard]] const std::map<BodyPair, std::vector<ContactPoint>>& all() const { return of_; }

private:
    bool known_ = false;
    std::map<BodyPair, std::vector<ContactPoint>> of_;
};

[[nodiscard]] JoinWork prepare(const Model& model, const JoinOptions& options, const JointRules* rules);
void find_sheet_joints(const Model& model, const ContactTable& contacts, JoinWork& work);
/// Joint of two sheets whose skins lie on each other, in the way the plan wants; `gap` is between the skins (mm). `oblique` ones, whose
/// midsurfaces run apart, have no nodes opposite to each other: they are tied.
void join_lap(const Model& model, const ContactTable& contacts, JoinWork& work, std::size_t a, std::size_t b, double gap, bool oblique);
void find_member_joints(const Model& model, const ContactTable& contacts, JoinWork& work);
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
