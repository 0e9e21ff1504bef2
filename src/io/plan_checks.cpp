// What must hold of the records of a plan up to prove.
#include "io/plan_keys.hpp"
#include "model/expression.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo::plan_file {
namespace {

// What single keys cannot see.
void check_wall(const WallRule& r, const std::string& where) {
    const std::size_t sides = r.faces.size() + r.points.size();
    if (sides > 2) fail(where, "[[wall]]: name one face, or two that are opposed, by wall.faces or wall.points");
    if (r.offset && !r.face_alone()) fail(where, "[[wall]]: wall.offset goes with one face and wall.thickness");
    if (r.thickness > 0 && sides != 1) fail(where, "[[wall]]: wall.thickness is for one face taken alone; two faces say their own");
    if (!r.refuse && !r.reference && !r.method && !r.openings && !r.pair() && !r.face_alone())
        fail(where, "[[wall]] says nothing to do; give two faces, one face with thickness, refuse, reference, method or openings");
}

void check_joint(const JointRule& r, const std::string& where) {
    if (!r.refuse && !r.force && !r.reach && !r.laps && !r.edges && !r.along && !r.members && r.points.empty() && r.edge.empty())
        fail(where, "[[joint]] says nothing to do; give reach, refuse, force, laps, edges, along, members, two points, or edge and to");
    if (!r.points.empty() && (r.points.size() != 2 || !r.between[0].empty() || !r.between[1].empty() || r.reach || r.refuse))
        fail(where, "[[joint]]: joint.points are two, one on each body, and stand in place of joint.between, joint.and and a reach");
    if (r.refuse && r.force) fail(where, "[[joint]] refuses and forces at once");
    if (r.reach && !r.id.empty()) fail(where, "[[joint]]: a reach goes with bodies (joint.between, joint.and) or joint.within, not with an id");
}

void check_set(SetRule& r, const std::string& where) {
    static const std::vector<std::string> kinds = {"plane", "cylinder", "cone", "sphere", "torus", "free"};
    if (r.name.empty()) fail(where, "[[set]]: set.name is missing");
    const bool of_things =
        !r.body.empty() || !r.id.empty() || !r.surface.empty() || r.thinner || r.thicker || r.within || r.of != SetOf::any || !r.where.empty();
    const bool of_sets = !r.plus.empty() || !r.common.empty();
    if (!of_things && r.points.empty() && !of_sets)
        fail(where,
             "[[set]] picks nothing; give body, id, surface, thinner, thicker, within or where, points next to edges, or plus or common with names of sets");
    if (of_things && !r.points.empty()) fail(where, "[[set]]: set.points pick edges and stand alone");
    for (const std::string& s : r.surface)
        if (std::find(kinds.begin(), kinds.end(), s) == kinds.end())
            fail(where, fmt::format("set.surface = \"{}\" is not one of \"{}\"", s, fmt::join(kinds, "\", \"")));
    if (!r.frame.empty() && r.where.empty()) fail(where, "[[set]]: set.frame is that of set.where, which is missing");
    r.place = where;
    if (!r.where.empty()) Expression(r.where, where);  // its mistakes are said now
}

void check_frame(const FrameRule& r, const std::string& where) {
    if (r.name.empty()) fail(where, "[[frame]]: frame.name is missing");
    for (const auto& d : {r.z, r.x})
        if (d && d->norm() == 0) fail(where, "[[frame]]: frame.z and frame.x are directions and not zero");
    if (r.z && r.x && r.z->cross(*r.x).norm() <= 1e-9 * r.z->norm() * r.x->norm()) fail(where, "[[frame]]: frame.z and frame.x point the same way");
    if (r.circle && r.edge) fail(where, "[[frame]]: take it from a circle or from an edge, not from both");
}

void check_tie(const TieRule& r, const std::string& where) {
    if (r.between[0].empty() || r.between[1].empty() || r.reach <= 0) fail(where, "[[tie]]: give tie.edges, tie.onto and tie.reach");
}

void check_hole(const HoleRule& r, const std::string& where) {
    if (r.to <= r.from) fail(where, "[[hole]]: hole.to must be more than hole.from: a range of diameters");
    if (!r.rings && !r.width && !r.share && !r.around) fail(where, "[[hole]] says nothing to do; give rings, width, share or around");
    if (r.width && r.share) fail(where, "[[hole]]: give a width or a share of the radius, not both");
}

void check_place(const PlaceRule& r, const std::string& where) {
    if (r.body.empty()) fail(where, "[[place]]: place.body is missing");
    if (r.turn == 0 && r.move == Vec3::Zero()) fail(where, "[[place]] says nothing to do; give place.move or place.turn");
    if ((r.axis[1] - r.axis[0]).norm() == 0) fail(where, "[[place]]: place.axis must be two different points");
}

void check_cut(const CutRule& r, const std::string& where) {
    if (r.normal.norm() == 0) fail(where, "[[cut]]: cut.normal is missing; the way in which the part that stays lies, such as [1, 0, 0]");
    if (r.symmetry && r.keep == CutKeeps::both) fail(where, "[[cut]]: a plane of symmetry leaves one side; keep = \"front\" or \"back\"");
}

void check_patch(const PatchRule& r, const std::string& where) {
    if (r.thickness <= 0 || std::max(r.sides.size(), r.edges.size()) < 2 || (!r.sides.empty() && !r.edges.empty()))
        fail(where, "[[patch]]: give patch.thickness and patch.sides (two or more rows of points) or patch.edges (a point on each of two or more edges)");
    for (std::size_t i = 0; i < r.sides.size(); ++i)
        if (r.sides[i].size() < 2) fail(where, "[[patch]]: each side is a row of two points or more");
}

void check_size(const SizeRule& r, const std::string& where) {
    if (!r.count && !r.size) fail(where, "[[size]]: size.size is missing");
    if (r.count && r.size) fail(where, "[[size]]: edges and members take a size.count or a size.size");
    if (r.count && r.points.empty() && r.sheet.empty() && r.body.empty())
        fail(where, "[[size]]: a size.count goes with size.points or a set of edges, or with members");
}

}  // namespace

void check_record(Plan& plan, const std::string& table, const std::string& where) {
    if (table == "wall") check_wall(plan.halve.walls.back(), where);
    if (table == "size") check_size(plan.mesh.sizes.back(), where);
    if (table == "thickness" && plan.mesh.thicknesses.back().size <= 0) fail(where, "[[thickness]]: thickness.thickness is missing");
    if (table == "set") check_set(plan.join.sets.back(), where);
    if (table == "frame") check_frame(plan.join.frames.back(), where);
    if (table == "tie") check_tie(plan.join.ties.back(), where);
    if (table == "hole") check_hole(plan.mesh.holes.back(), where);
    if (table == "place") check_place(plan.source.places.back(), where);
    if (table == "cut") check_cut(plan.strip.cuts.back(), where);
    if (table == "patch") check_patch(plan.halve.patches.back(), where);
    if (table == "joint") check_joint(plan.join.joints.back(), where);
    check_solve_record(plan, table, where);
}

void check_names(const Plan& plan, const std::string& where) {
    std::vector<std::string> sets;
    for (const SetRule& r : plan.join.sets) {
        if (std::find(sets.begin(), sets.end(), r.name) != sets.end()) fail(where, fmt::format("two [[set]] are named \"{}\"", r.name));
        sets.push_back(r.name);
    }
    for (std::size_t i = 0; i < plan.strip.cuts.size(); ++i)
        sets.push_back(plan.strip.cuts[i].name.empty() ? fmt::format("cut {}", i + 1) : plan.strip.cuts[i].name);
    const auto known = [&](const std::vector<std::string>& all, const std::string& name, const std::string& table, const char* what) {
        if (std::find(all.begin(), all.end(), name) == all.end()) fail(where, fmt::format("[[{}]]: no [[{}]] is named \"{}\"", table, what, name));
    };
    const auto ids = [&](const char* table, const std::vector<std::string>& list) {
        for (const std::string& id : list)
            if (id.starts_with("set=")) known(sets, id.substr(4), table, "set");
    };
    for (const SizeRule& r : plan.mesh.sizes) ids("size", r.sheet);
    for (const SizeRule& r : plan.mesh.thicknesses) ids("thickness", r.sheet);
    for (const TieRule& r : plan.join.ties)
        for (const auto& side : r.between) ids("tie", side);
    for (const SetRule& r : plan.join.sets)
        for (const auto* list : {&r.plus, &r.minus, &r.common})
            for (const std::string& name : *list) known(sets, name, "set", "set");
    std::vector<std::string> frames, points;
    for (const FrameRule& r : plan.join.frames) frames.push_back(r.name);
    for (const PointRule& r : plan.solve.points) points.push_back(r.name);
    const auto frame = [&](const char* table, const std::string& name) {
        if (!name.empty()) known(frames, name, table, "frame");
    };
    for (const SetRule& r : plan.join.sets) frame("set", r.frame);
    const auto selection = [&](const char* table, const Selection& s) {
        ids(table, s.id);
        if (!s.point.empty()) known(points, s.point, table, "point");
    };
    for (const auto& r : plan.solve.materials) selection("material", r.of);
    for (const auto& r : plan.solve.supports) selection("support", r.of), frame("support", r.frame);
    for (const auto& r : plan.solve.loads) selection("load", r.of), frame("load", r.frame);
    for (const auto& r : plan.solve.masses) selection("mass", r.of);
    for (const auto& r : plan.solve.points) selection("point", r.of);
    for (const auto& r : plan.solve.releases) selection("release", r.of);
    for (const auto& r : plan.solve.probes) selection("probe", r.of), frame("probe", r.frame);
}

}  // namespace halvo::plan_file
