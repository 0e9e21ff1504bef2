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

}  // namespace halvo
