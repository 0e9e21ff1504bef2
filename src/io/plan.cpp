#include <halvo/plan.hpp>

#include "core/quantity.hpp"

#include <fmt/format.h>
#include <toml++/toml.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <map>

namespace halvo {
namespace {

enum class Kind {
    text,
    texts,
    length,
    length_or_none,
    signed_length,
    angle,
    angle_or_none,
    signed_angle,
    number,
    factor,
    share,
    flag,
    choice,
    count,
    numbers,
    points,
    rows
};

struct Key {
    const char* name;
    Kind kind;
    std::function<void(Plan&, double)> number;
    std::function<void(Plan&, std::vector<std::string>)> text;
    std::vector<std::string> choices = {};
    std::function<void(Plan&, std::vector<Vec3>)> points = {};
    std::function<void(Plan&, std::vector<std::vector<Vec3>>)> rows = {};
};

// Tables that may stand several times: each adds one record, which its keys then fill.
const std::map<std::string, std::function<void(Plan&)>>& record_tables() {
    static const std::map<std::string, std::function<void(Plan&)>> all = {{"wall", [](Plan& p) { p.halve.walls.emplace_back(); }},
                                                                          {"joint", [](Plan& p) { p.join.joints.emplace_back(); }},
                                                                          {"thickness", [](Plan& p) { p.mesh.thicknesses.emplace_back(); }},
                                                                          {"tie", [](Plan& p) { p.join.ties.emplace_back(); }},
                                                                          {"patch", [](Plan& p) { p.halve.patches.emplace_back(); }},
                                                                          {"hole", [](Plan& p) { p.mesh.holes.emplace_back(); }},
                                                                          {"place", [](Plan& p) { p.source.places.emplace_back(); }},
                                                                          {"set", [](Plan& p) { p.join.sets.emplace_back(); }},
                                                                          {"size", [](Plan& p) { p.mesh.sizes.emplace_back(); }},
                                                                          {"strip", [](Plan& p) { p.strip.rules.emplace_back(); }},
                                                                          {"cut", [](Plan& p) { p.strip.cuts.emplace_back(); }}};
    return all;
}

Reference reference_of(const std::string& v) {
    return v == "outer" ? Reference::outer : v == "inner" ? Reference::inner : Reference::middle;
}

Box3 box_of(const std::vector<Vec3>& corners) {
    Box3 b;
    for (const Vec3& p : corners) b.extend(p);
    return b;
}

MidMethod method_of(const std::string& v) {
    return v == "exact" ? MidMethod::exact : v == "fitted" ? MidMethod::fitted : v == "offset" ? MidMethod::offset : MidMethod::automatic;
}

BulkAs bulk_of(const std::string& v) {
    return v == "named" ? BulkAs::named : v == "sheet" ? BulkAs::sheet : BulkAs::coupling;
}

LapsAs laps_of(const std::string& v) {
    return v == "tie" ? LapsAs::tie : v == "merge" ? LapsAs::merge : LapsAs::link;
}

FastenersAs fasteners_of(const std::string& v) {
    return v == "rigid" ? FastenersAs::rigid : v == "left out" ? FastenersAs::left_out : FastenersAs::line;
}

AlongSheet along_of(const std::string& v) {
    return v == "link" ? AlongSheet::link : v == "flush" ? AlongSheet::flush : AlongSheet::offset;
}

const std::vector<Key>& keys() {
    using Texts = std::vector<std::string>;
    static const std::vector<Key> all = {
        {"source.file", Kind::text, {}, [](Plan& p, Texts v) { p.source.file = v[0]; }},
        {"source.unit", Kind::choice, {}, [](Plan& p, Texts v) { p.source.unit = v[0]; }, {"mm", "cm", "m", "inch", "ft"}},
        {"source.body", Kind::texts, {}, [](Plan& p, Texts v) { p.source.body = std::move(v); }},
        {"source.only", Kind::texts, {}, [](Plan& p, Texts v) { p.source.only = std::move(v); }},
        {"source.skip", Kind::texts, {}, [](Plan& p, Texts v) { p.source.skip = std::move(v); }},
        {"place.body", Kind::texts, {}, [](Plan& p, Texts v) { p.source.places.back().body = std::move(v); }},
        {"place.move", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.source.places.back().move = v[0]; }},
        {"place.turn", Kind::signed_angle, [](Plan& p, double v) { p.source.places.back().turn = v; }, {}},
        {"place.axis",
         Kind::points,
         {},
         {},
         {},
         [](Plan& p, std::vector<Vec3> v) {
             p.source.places.back().axis = {v[0], v.back()};
         }},
        {"place.copies", Kind::count, [](Plan& p, double v) { p.source.places.back().copies = static_cast<int>(v); }, {}},
        {"survey.thickest", Kind::length, [](Plan& p, double v) { p.survey.thickest = p.halve.survey.thickest = v; }, {}},
        {"survey.thinnest", Kind::length_or_none, [](Plan& p, double v) { p.survey.thinnest = p.halve.survey.thinnest = v; }, {}},
        {"survey.slender", Kind::number, [](Plan& p, double v) { p.survey.slender = p.halve.survey.slender = v; }, {}},
        {"survey.flat", Kind::number, [](Plan& p, double v) { p.survey.flat = p.halve.survey.flat = v; }, {}},
        {"survey.near", Kind::length, [](Plan& p, double v) { p.survey.near = p.halve.survey.near = v; }, {}},
        {"survey.tiny", Kind::length, [](Plan& p, double v) { p.survey.tiny = p.halve.survey.tiny = v; }, {}},
        {"survey.narrow", Kind::length, [](Plan& p, double v) { p.survey.narrow = p.halve.survey.narrow = v; }, {}},
        {"mend.sew", Kind::length, [](Plan& p, double v) { p.mend.sew = v; }, {}},
        {"mend.fill", Kind::flag, [](Plan& p, double v) { p.mend.fill = v != 0; }, {}},
        {"mend.merge", Kind::flag, [](Plan& p, double v) { p.mend.merge = v != 0; }, {}},
        {"mend.overlap",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.mend.overlap = v[0] == "cut"    ? OverlapAs::cut
                                                 : v[0] == "move" ? OverlapAs::move
                                                                  : OverlapAs::leave; },
         {"leave", "cut", "move"}},
        {"mend.gaps", Kind::length, [](Plan& p, double v) { p.mend.gaps = v; }, {}},
        {"mend.refuse", Kind::texts, {}, [](Plan& p, Texts v) { p.mend.refuse = std::move(v); }},
        {"mend.force", Kind::texts, {}, [](Plan& p, Texts v) { p.mend.force = std::move(v); }},
        {"strip.holes", Kind::length, [](Plan& p, double v) { p.survey.holes = p.halve.survey.holes = p.strip.holes = v; }, {}},
        {"strip.rounds", Kind::length, [](Plan& p, double v) { p.survey.rounds = p.halve.survey.rounds = p.strip.rounds = v; }, {}},
        {"strip.chamfers", Kind::length, [](Plan& p, double v) { p.strip.chamfers = v; }, {}},
        {"strip.raised", Kind::length, [](Plan& p, double v) { p.survey.raised = p.halve.survey.raised = p.strip.raised = v; }, {}},
        {"strip.slivers", Kind::length, [](Plan& p, double v) { p.strip.slivers = v; }, {}},
        {"strip.refuse", Kind::texts, {}, [](Plan& p, Texts v) { p.strip.refuse = std::move(v); }},
        {"strip.keep", Kind::texts, {}, [](Plan& p, Texts v) { p.strip.keep = std::move(v); }},
        {"strip.force", Kind::texts, {}, [](Plan& p, Texts v) { p.strip.force = std::move(v); }},
        {"strip.body", Kind::texts, {}, [](Plan& p, Texts v) { p.strip.rules.back().body = std::move(v); }},
        {"strip.id", Kind::texts, {}, [](Plan& p, Texts v) { p.strip.rules.back().id = std::move(v); }},
        {"strip.like", Kind::texts, {}, [](Plan& p, Texts v) { p.strip.rules.back().like = std::move(v); }},
        {"strip.feature",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.strip.rules.back().feature = v[0]; },
         {"holes", "rounds", "chamfers", "raised", "sunk", "slivers"}},
        {"strip.from", Kind::length_or_none, [](Plan& p, double v) { p.strip.rules.back().from = v; }, {}},
        {"strip.to", Kind::length, [](Plan& p, double v) { p.strip.rules.back().to = v; }, {}},
        {"strip.within", Kind::points, {}, {}, {}, [](Plan& p, const std::vector<Vec3>& v) { p.strip.rules.back().within = box_of(v); }},
        {"cut.body", Kind::texts, {}, [](Plan& p, Texts v) { p.strip.cuts.back().body = std::move(v); }},
        {"cut.name", Kind::text, {}, [](Plan& p, Texts v) { p.strip.cuts.back().name = v[0]; }},
        {"cut.point", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.strip.cuts.back().point = v[0]; }},
        {"cut.normal", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.strip.cuts.back().normal = v[0]; }},
        {"cut.keep",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.strip.cuts.back().keep = v[0] == "both"   ? CutKeeps::both
                                                           : v[0] == "back" ? CutKeeps::back
                                                                            : CutKeeps::front; },
         {"front", "back", "both"}},
        {"cut.symmetry", Kind::flag, [](Plan& p, double v) { p.strip.cuts.back().symmetry = v != 0; }, {}},
        {"halve.slender",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.halve.slender = v[0] == "beams" ? SlenderAs::beams : SlenderAs::shells; },
         {"beams", "shells"}},
        {"halve.steps",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.halve.steps = v[0] == "continuous" ? StepsAs::continuous : StepsAs::separate; },
         {"continuous", "separate"}},
        {"halve.openings", Kind::length_or_none, [](Plan& p, double v) { p.halve.openings = v; }, {}},
        {"halve.fill", Kind::texts, {}, [](Plan& p, Texts v) { p.halve.fill = std::move(v); }},
        {"halve.covered",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.halve.covered = v[0] == "filled" ? CoveredAs::filled : CoveredAs::open; },
         {"open", "filled"}},
        {"halve.keep", Kind::texts, {}, [](Plan& p, Texts v) { p.halve.keep = std::move(v); }},
        {"halve.thickness", Kind::length, [](Plan& p, double v) { p.halve.thickness = v; }, {}},
        {"halve.draft", Kind::angle, [](Plan& p, double v) { p.halve.draft = v; }, {}},
        {"halve.slimness", Kind::share, [](Plan& p, double v) { p.halve.slimness = v; }, {}},
        {"halve.refuse", Kind::texts, {}, [](Plan& p, Texts v) { p.halve.refuse = std::move(v); }},
        {"halve.reference", Kind::choice, {}, [](Plan& p, Texts v) { p.halve.reference = reference_of(v[0]); }, {"middle", "outer", "inner"}},
        {"halve.method", Kind::choice, {}, [](Plan& p, Texts v) { p.halve.method = method_of(v[0]); }, {"automatic", "exact", "fitted", "offset"}},
        {"halve.bulk", Kind::choice, {}, [](Plan& p, Texts v) { p.halve.bulk = bulk_of(v[0]); }, {"coupling", "named", "sheet"}},
        {"wall.body", Kind::texts, {}, [](Plan& p, Texts v) { p.halve.walls.back().body = std::move(v); }},
        {"wall.id", Kind::texts, {}, [](Plan& p, Texts v) { p.halve.walls.back().wall = std::move(v); }},
        {"wall.faces",
         Kind::numbers,
         {},
         [](Plan& p, Texts v) {
             std::transform(v.begin(), v.end(), std::back_inserter(p.halve.walls.back().faces), [](const auto& t) { return std::stoi(t); });
         }},
        {"wall.points", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.halve.walls.back().points = std::move(v); }},
        {"wall.within", Kind::points, {}, {}, {}, [](Plan& p, const std::vector<Vec3>& v) { p.halve.walls.back().within = box_of(v); }},
        {"wall.refuse", Kind::flag, [](Plan& p, double v) { p.halve.walls.back().refuse = v != 0; }, {}},
        {"wall.reference", Kind::choice, {}, [](Plan& p, Texts v) { p.halve.walls.back().reference = reference_of(v[0]); }, {"middle", "outer", "inner"}},
        {"wall.method", Kind::choice, {}, [](Plan& p, Texts v) { p.halve.walls.back().method = method_of(v[0]); }, {"automatic", "exact", "fitted", "offset"}},
        {"wall.openings", Kind::length_or_none, [](Plan& p, double v) { p.halve.walls.back().openings = v; }, {}},
        {"wall.thickness", Kind::length, [](Plan& p, double v) { p.halve.walls.back().thickness = v; }, {}},
        {"wall.offset", Kind::signed_length, [](Plan& p, double v) { p.halve.walls.back().offset = v; }, {}},
        {"patch.body", Kind::text, {}, [](Plan& p, Texts v) { p.halve.patches.back().body = v[0]; }},
        {"patch.sides", Kind::rows, {}, {}, {}, {}, [](Plan& p, std::vector<std::vector<Vec3>> v) { p.halve.patches.back().sides = std::move(v); }},
        {"patch.edges", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.halve.patches.back().edges = std::move(v); }},
        {"patch.thickness", Kind::length, [](Plan& p, double v) { p.halve.patches.back().thickness = v; }, {}},
        {"join.reach", Kind::length_or_none, [](Plan& p, double v) { p.join.reach = v; }, {}},
        {"join.overhang", Kind::length, [](Plan& p, double v) { p.join.overhang = v; }, {}},
        {"join.members", Kind::choice, {}, [](Plan& p, Texts v) { p.join.members = v[0] == "meet" ? MembersMeet::meet : MembersMeet::link; }, {"link", "meet"}},
        {"join.ends", Kind::choice, {}, [](Plan& p, Texts v) { p.join.ends = v[0] == "node" ? EndsAs::node : EndsAs::footprint; }, {"footprint", "node"}},
        {"join.along", Kind::choice, {}, [](Plan& p, Texts v) { p.join.along = along_of(v[0]); }, {"offset", "flush", "link"}},
        {"join.bulk", Kind::choice, {}, [](Plan& p, Texts v) { p.join.bulk = v[0] == "named" ? BulkAs::named : BulkAs::coupling; }, {"coupling", "named"}},
        {"join.fasteners", Kind::choice, {}, [](Plan& p, Texts v) { p.join.fasteners = fasteners_of(v[0]); }, {"line", "rigid", "left out"}},
        {"join.start", Kind::choice, {}, [](Plan& p, Texts v) { p.join.start = v[0] == "skin" ? StartAs::skin : StartAs::middle; }, {"middle", "skin"}},
        {"join.points", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.join.points = std::move(v); }},
        {"join.laps", Kind::choice, {}, [](Plan& p, Texts v) { p.join.laps = laps_of(v[0]); }, {"link", "tie", "merge"}},
        {"join.coplanar",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.join.coplanar = v[0] == "one sheet" ? CoplanarAs::one_sheet : CoplanarAs::separate; },
         {"separate", "one sheet"}},
        {"set.name", Kind::text, {}, [](Plan& p, Texts v) { p.join.sets.back().name = v[0]; }},
        {"set.body", Kind::texts, {}, [](Plan& p, Texts v) { p.join.sets.back().body = std::move(v); }},
        {"set.id", Kind::texts, {}, [](Plan& p, Texts v) { p.join.sets.back().id = std::move(v); }},
        {"set.surface", Kind::texts, {}, [](Plan& p, Texts v) { p.join.sets.back().surface = std::move(v); }},
        {"set.thinner", Kind::length, [](Plan& p, double v) { p.join.sets.back().thinner = v; }, {}},
        {"set.thicker", Kind::length, [](Plan& p, double v) { p.join.sets.back().thicker = v; }, {}},
        {"set.within", Kind::points, {}, {}, {}, [](Plan& p, const std::vector<Vec3>& v) { p.join.sets.back().within = box_of(v); }},
        {"set.points", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.join.sets.back().points = std::move(v); }},
        {"tie.edges", Kind::texts, {}, [](Plan& p, Texts v) { p.join.ties.back().between[0] = std::move(v); }},
        {"tie.onto", Kind::texts, {}, [](Plan& p, Texts v) { p.join.ties.back().between[1] = std::move(v); }},
        {"tie.within", Kind::points, {}, {}, {}, [](Plan& p, const std::vector<Vec3>& v) { p.join.ties.back().within = box_of(v); }},
        {"tie.reach", Kind::length, [](Plan& p, double v) { p.join.ties.back().reach = v; }, {}},
        {"joint.laps", Kind::choice, {}, [](Plan& p, Texts v) { p.join.joints.back().laps = laps_of(v[0]); }, {"link", "tie", "merge"}},
        {"joint.edges",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.join.joints.back().edges = v[0] == "tie" ? EdgesAs::tie : EdgesAs::carry; },
         {"carry", "tie"}},
        {"joint.along", Kind::choice, {}, [](Plan& p, Texts v) { p.join.joints.back().along = along_of(v[0]); }, {"offset", "flush", "link"}},
        {"joint.members",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.join.joints.back().members = v[0] == "meet" ? MembersMeet::meet : MembersMeet::link; },
         {"link", "meet"}},
        {"joint.points", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.join.joints.back().points = std::move(v); }},
        {"joint.edge", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.join.joints.back().edge = std::move(v); }},
        {"joint.to", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.join.joints.back().to = std::move(v); }},
        {"joint.strip",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.join.joints.back().strip = v[0] == "straight" ? StripAs::straight : StripAs::tangent; },
         {"straight", "tangent"}},
        {"joint.id", Kind::texts, {}, [](Plan& p, Texts v) { p.join.joints.back().id = std::move(v); }},
        {"joint.between", Kind::texts, {}, [](Plan& p, Texts v) { p.join.joints.back().between[0] = std::move(v); }},
        {"joint.and", Kind::texts, {}, [](Plan& p, Texts v) { p.join.joints.back().between[1] = std::move(v); }},
        {"joint.within", Kind::points, {}, {}, {}, [](Plan& p, const std::vector<Vec3>& v) { p.join.joints.back().within = box_of(v); }},
        {"joint.force", Kind::flag, [](Plan& p, double v) { p.join.joints.back().force = v != 0; }, {}},
        {"joint.refuse", Kind::flag, [](Plan& p, double v) { p.join.joints.back().refuse = v != 0; }, {}},
        {"joint.reach", Kind::length_or_none, [](Plan& p, double v) { p.join.joints.back().reach = v; }, {}},
        {"join.refuse", Kind::texts, {}, [](Plan& p, Texts v) { p.join.refuse = std::move(v); }},
        {"mesh.size", Kind::length, [](Plan& p, double v) { p.mesh.size = v; }, {}},
        {"mesh.smallest", Kind::length, [](Plan& p, double v) { p.mesh.smallest = v; }, {}},
        {"mesh.largest", Kind::length, [](Plan& p, double v) { p.mesh.largest = v; }, {}},
        {"mesh.angle", Kind::angle, [](Plan& p, double v) { p.mesh.angle = v; }, {}},
        {"mesh.chord", Kind::length, [](Plan& p, double v) { p.mesh.chord = v; }, {}},
        {"mesh.across", Kind::count, [](Plan& p, double v) { p.mesh.across = static_cast<int>(v); }, {}},
        {"mesh.rings", Kind::count, [](Plan& p, double v) { p.mesh.rings = static_cast<int>(v); }, {}},
        {"mesh.ring_width", Kind::length, [](Plan& p, double v) { p.mesh.ring_width = v; }, {}},
        {"mesh.ring_share", Kind::factor, [](Plan& p, double v) { p.mesh.ring_share = v; }, {}},
        {"hole.from", Kind::length_or_none, [](Plan& p, double v) { p.mesh.holes.back().from = v; }, {}},
        {"hole.to", Kind::length, [](Plan& p, double v) { p.mesh.holes.back().to = v; }, {}},
        {"hole.rings", Kind::count, [](Plan& p, double v) { p.mesh.holes.back().rings = static_cast<int>(v); }, {}},
        {"hole.width", Kind::length, [](Plan& p, double v) { p.mesh.holes.back().width = v; }, {}},
        {"hole.share", Kind::factor, [](Plan& p, double v) { p.mesh.holes.back().share = v; }, {}},
        {"hole.around", Kind::count, [](Plan& p, double v) { p.mesh.holes.back().around = static_cast<int>(v); }, {}},
        {"mesh.around", Kind::count, [](Plan& p, double v) { p.mesh.around = static_cast<int>(v); }, {}},
        {"mesh.along_member", Kind::count, [](Plan& p, double v) { p.mesh.along_member = static_cast<int>(v); }, {}},
        {"mesh.bend_rows", Kind::count, [](Plan& p, double v) { p.mesh.bend_rows = static_cast<int>(v); }, {}},
        {"mesh.feature", Kind::angle_or_none, [](Plan& p, double v) { p.mesh.feature = v; }, {}},
        {"mesh.bridge", Kind::share, [](Plan& p, double v) { p.mesh.bridge = v; }, {}},
        {"mesh.growth", Kind::number, [](Plan& p, double v) { p.mesh.growth = v; }, {}},
        {"mesh.limits.scaled_jacobian", Kind::share, [](Plan& p, double v) { p.mesh.limits.scaled_jacobian = v; }, {}},
        {"mesh.limits.aspect", Kind::number, [](Plan& p, double v) { p.mesh.limits.aspect = v; }, {}},
        {"mesh.limits.warpage", Kind::number, [](Plan& p, double v) { p.mesh.limits.warpage = v; }, {}},
        {"mesh.limits.skew", Kind::number, [](Plan& p, double v) { p.mesh.limits.skew = v; }, {}},
        {"mesh.limits.taper", Kind::share, [](Plan& p, double v) { p.mesh.limits.taper = v; }, {}},
        {"mesh.limits.least_quad_angle", Kind::number, [](Plan& p, double v) { p.mesh.limits.least_quad_angle = v; }, {}},
        {"mesh.limits.most_quad_angle", Kind::number, [](Plan& p, double v) { p.mesh.limits.most_quad_angle = v; }, {}},
        {"mesh.limits.least_tria_angle", Kind::number, [](Plan& p, double v) { p.mesh.limits.least_tria_angle = v; }, {}},
        {"mesh.limits.most_tria_angle", Kind::number, [](Plan& p, double v) { p.mesh.limits.most_tria_angle = v; }, {}},
        {"mesh.limits.tria_share", Kind::share, [](Plan& p, double v) { p.mesh.limits.tria_share = v; }, {}},
        {"size.body", Kind::texts, {}, [](Plan& p, Texts v) { p.mesh.sizes.back().body = std::move(v); }},
        {"size.id", Kind::texts, {}, [](Plan& p, Texts v) { p.mesh.sizes.back().sheet = std::move(v); }},
        {"size.within", Kind::points, {}, {}, {}, [](Plan& p, const std::vector<Vec3>& v) { p.mesh.sizes.back().within = box_of(v); }},
        {"size.size", Kind::length, [](Plan& p, double v) { p.mesh.sizes.back().size = v; }, {}},
        {"thickness.body", Kind::texts, {}, [](Plan& p, Texts v) { p.mesh.thicknesses.back().body = std::move(v); }},
        {"thickness.id", Kind::texts, {}, [](Plan& p, Texts v) { p.mesh.thicknesses.back().sheet = std::move(v); }},
        {"thickness.within", Kind::points, {}, {}, {}, [](Plan& p, const std::vector<Vec3>& v) { p.mesh.thicknesses.back().within = box_of(v); }},
        {"thickness.thickness", Kind::length, [](Plan& p, double v) { p.mesh.thicknesses.back().size = v; }, {}},
        {"size.points", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.mesh.sizes.back().points = std::move(v); }},
        {"size.count", Kind::count, [](Plan& p, double v) { p.mesh.sizes.back().count = static_cast<int>(v); }, {}},
        {"prove.mesh", Kind::share, [](Plan& p, double v) { p.prove.mesh = v; }, {}},
        {"prove.strict", Kind::flag, [](Plan& p, double v) { p.prove.strict = v != 0; }, {}},
        {"prove.volume", Kind::share, [](Plan& p, double v) { p.prove.volume = v; }, {}},
    };
    return all;
}

// A plan file is an input that cannot be used; a value on the command line is wrong usage.
[[noreturn]] void fail(const std::string& where, const std::string& what) {
    throw Error(where.rfind("--set", 0) == 0 ? ErrorKind::usage : ErrorKind::input, where + ": " + what);
}

const Key& find_key(const std::string& name, const std::string& where) {
    std::vector<std::string> known;
    for (const Key& k : keys()) {
        if (name == k.name) return k;
        known.emplace_back(k.name);
    }
    fail(where, fmt::format("unknown key {}; the nearest known one is {}", name, nearest_name(name, known)));
}

bool is_angle(Kind k) {
    return k == Kind::angle || k == Kind::angle_or_none || k == Kind::signed_angle;
}

double plain_number(const Key& key, const toml::node& node, const std::string& where) {
    const bool angle = is_angle(key.kind);
    const char* unit = angle ? "degree" : key.kind == Kind::number || key.kind == Kind::factor || key.kind == Kind::share ? "1" : "mm";
    if (const auto n = node.value<double>(); n && !node.is_string() && !node.is_boolean()) return *n;
    const auto* s = node.as_string();
    if (!s)
        fail(where,
             fmt::format("{} must be a {}, such as {}", key.name, angle ? "number or an angle" : "number or a length", angle ? "\"10 degree\"" : "\"3 mm\""));
    try {
        return quantity(s->get(), unit);
    } catch (const std::invalid_argument& e) {
        fail(where, fmt::format("{}: {}", key.name, e.what()));
    }
}

// Whole numbers from 1, as text.
std::vector<std::string> numbers_of(const Key& key, const toml::node& node, const std::string& where) {
    std::vector<std::string> out;
    const auto one = [&](const toml::node& n) {
        const auto* i = n.as_integer();
        if (!i || i->get() < 1 || i->get() > std::numeric_limits<int>::max())
            fail(where, fmt::format("{} must be a whole number from 1, or a list of such", key.name));
        out.push_back(std::to_string(i->get()));
    };
    if (const auto* list = node.as_array())
        for (const toml::node& n : *list) one(n);
    else one(node);
    return out;
}

double number_of(const Key& key, const toml::node& node, const std::string& where) {
    if (key.kind == Kind::flag) {
        if (const auto v = node.value<bool>(); v && node.is_boolean()) return *v ? 1 : 0;
        fail(where, fmt::format("{} must be true or false", key.name));
    }
    if (key.kind == Kind::count) return std::stod(numbers_of(key, node, where).at(0));
    const double v = plain_number(key, node, where);
    const bool none_too = key.kind == Kind::length_or_none || key.kind == Kind::angle_or_none;
    const bool any_sign = key.kind == Kind::signed_length || key.kind == Kind::signed_angle;
    if (!std::isfinite(v) || (!any_sign && (v < 0 || (v == 0 && !none_too))))
        fail(where, fmt::format("{} must be {}", key.name,
                                key.kind == Kind::signed_angle ? "an angle"
                                : any_sign                     ? "a length"
                                : none_too                     ? "0 or more"
                                                               : "more than 0"));
    if (std::string(key.name) == "mesh.growth" && v <= 1) fail(where, "mesh.growth must be more than 1: the factor from one element to the next");
    if (key.kind == Kind::share && v > 1) fail(where, fmt::format("{} is a share; give a number up to 1, or \"1.5 %\"", key.name));
    return is_angle(key.kind) ? v * pi / 180 : v;
}

// A list of points, or one point: [x, y, z] with lengths.
std::vector<Vec3> points_of(const Key& key, const toml::node& node, const std::string& where) {
    const auto bad = [&] { fail(where, fmt::format("{} must be points, such as [[0, 0, \"3 mm\"], [0, 0, 0]]", key.name)); };
    const auto* list = node.as_array();
    if (!list || list->empty()) bad();
    const auto one = [&](const toml::node& n) {
        const auto* xyz = n.as_array();
        if (!xyz || xyz->size() != 3) bad();
        Vec3 p;
        for (std::size_t k = 0; k < 3; ++k) p[static_cast<Eigen::Index>(k)] = plain_number(key, (*xyz)[k], where);
        if (!p.allFinite()) bad();
        return p;
    };
    std::vector<Vec3> out;
    if (!(*list)[0].is_array()) return {one(node)};
    for (const toml::node& n : *list) out.push_back(one(n));
    return out;
}

// A list of lists of points.
std::vector<std::vector<Vec3>> rows_of(const Key& key, const toml::node& node, const std::string& where) {
    const auto* list = node.as_array();
    if (!list || list->empty()) fail(where, fmt::format("{} must be a list of rows of points", key.name));
    std::vector<std::vector<Vec3>> out;
    for (const toml::node& n : *list) out.push_back(points_of(key, n, where));
    return out;
}

std::vector<std::string> texts_of(const Key& key, const toml::node& node, const std::string& where) {
    const auto one = [&](const toml::node& n) -> std::string {
        if (const auto* s = n.as_string()) return s->get();
        if (const auto* i = n.as_integer(); i && key.kind == Kind::texts) return std::to_string(i->get());
        fail(where, fmt::format("{} must be text in quotes{}", key.name, key.kind == Kind::texts ? ", or a list of such" : ""));
    };
    std::vector<std::string> out;
    if (const auto* list = node.as_array(); list && key.kind == Kind::texts) {
        for (const toml::node& n : *list) out.push_back(one(n));
        return out;
    }
    out.push_back(one(node));
    if (key.kind == Kind::choice && std::find(key.choices.begin(), key.choices.end(), out[0]) == key.choices.end())
        fail(where, fmt::format("{} = \"{}\" is not one of \"{}\"", key.name, out[0], fmt::join(key.choices, "\", \"")));
    return out;
}

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

void check_set(const SetRule& r, const std::string& where) {
    static const std::vector<std::string> kinds = {"plane", "cylinder", "cone", "sphere", "torus", "free"};
    if (r.name.empty()) fail(where, "[[set]]: set.name is missing");
    const bool of_sheets = !r.body.empty() || !r.id.empty() || !r.surface.empty() || r.thinner || r.thicker || r.within;
    if (!of_sheets && r.points.empty()) fail(where, "[[set]] picks nothing; give body, id, surface, thinner, thicker or within, or points next to edges");
    if (of_sheets && !r.points.empty()) fail(where, "[[set]]: set.points pick edges and stand alone");
    for (const std::string& s : r.surface)
        if (std::find(kinds.begin(), kinds.end(), s) == kinds.end())
            fail(where, fmt::format("set.surface = \"{}\" is not one of \"{}\"", s, fmt::join(kinds, "\", \"")));
}

// A rule that means a set by "set=NAME" means one that stands in the plan.
void check_sets(const Plan& plan, const std::string& where) {
    const auto check = [&](const char* table, const std::vector<std::string>& ids) {
        for (const std::string& id : ids) {
            if (!id.starts_with("set=")) continue;
            const auto known = [&](const SetRule& r) { return "set=" + r.name == id; };
            if (std::none_of(plan.join.sets.begin(), plan.join.sets.end(), known))
                fail(where, fmt::format("[[{}]]: no [[set]] is named \"{}\"", table, id.substr(4)));
        }
    };
    for (const SizeRule& r : plan.mesh.sizes) check("size", r.sheet);
    for (const SizeRule& r : plan.mesh.thicknesses) check("thickness", r.sheet);
    for (const TieRule& r : plan.join.ties)
        for (const auto& side : r.between) check("tie", side);
    for (std::size_t i = 0; i < plan.join.sets.size(); ++i)
        for (std::size_t j = 0; j < i; ++j)
            if (plan.join.sets[i].name == plan.join.sets[j].name) fail(where, fmt::format("two [[set]] are named \"{}\"", plan.join.sets[i].name));
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

void apply(Plan& plan, const std::string& name, const toml::node& node, const std::string& where) {
    const Key& key = find_key(name, where);
    if (key.number) key.number(plan, number_of(key, node, where));
    else if (key.points) key.points(plan, points_of(key, node, where));
    else if (key.rows) key.rows(plan, rows_of(key, node, where));
    else if (key.kind == Kind::numbers) key.text(plan, numbers_of(key, node, where));
    else key.text(plan, texts_of(key, node, where));
}

// Limits and ids stand in [strip], or in an entry of [[strip]] of their own: TOML does not let a plan have both tables.
bool of_strip_rule(std::string_view key) {
    constexpr std::array<std::string_view, 7> rule_keys{"body", "id", "like", "feature", "from", "to", "within"};
    return std::find(rule_keys.begin(), rule_keys.end(), key) != rule_keys.end();
}

void apply_strip(Plan& plan, const toml::table& entry, const std::function<std::string(const toml::node&)>& where) {
    bool rule = false;
    for (const auto& [key, value] : entry) {
        const bool keeps = key.str() == "keep" && value.is_boolean();
        if (keeps) plan.strip.rules.back().keep = *value.value<bool>();
        else apply(plan, "strip." + std::string(key.str()), value, where(value));
        rule = rule || keeps || of_strip_rule(key.str());
    }
    if (!rule) plan.strip.rules.pop_back();
    else if (plan.strip.rules.back().to < plan.strip.rules.back().from)
        fail(where(entry), "[[strip]]: strip.to must be more than strip.from: a range of sizes");
}

void check_size(const SizeRule& r, const std::string& where) {
    if (!r.count && !r.size) fail(where, "[[size]]: size.size is missing");
    if (r.count && r.size) fail(where, "[[size]]: edges and members take a size.count or a size.size");
    if (r.count && r.points.empty() && r.sheet.empty() && r.body.empty())
        fail(where, "[[size]]: a size.count goes with size.points or a set of edges, or with members");
}

}  // namespace

Plan read_plan(const std::filesystem::path& file) {
    std::error_code ec;
    if (!std::filesystem::exists(file, ec)) throw Error(ErrorKind::input, file.string() + ": no such file; check the path");
    if (std::filesystem::is_directory(file, ec)) throw Error(ErrorKind::input, file.string() + ": is a folder; name the plan in it");
    toml::table table;
    try {
        table = toml::parse_file(file.string());
    } catch (const toml::parse_error& e) {
        fail(fmt::format("{}:{}", file.string(), e.source().begin.line), fmt::format("not valid TOML: {}", e.description()));
    }
    Plan plan;
    for (const auto& [name, node] : table) {
        const auto where = [&](const toml::node& n) { return fmt::format("{}:{}", file.string(), n.source().begin.line); };
        const std::string table_name(name.str());
        const auto record = record_tables().find(table_name);
        if (record != record_tables().end() && !(table_name == "strip" && node.is_table())) {
            const auto* list = node.as_array();
            if (!list || !list->is_array_of_tables()) fail(where(node), fmt::format("write [[{}]]: each adds one", table_name));
            for (const toml::node& n : *list) {
                record->second(plan);
                if (table_name == "strip") {
                    apply_strip(plan, *n.as_table(), where);
                    continue;
                }
                for (const auto& [key, value] : *n.as_table()) apply(plan, table_name + "." + std::string(key.str()), value, where(value));
                if (table_name == "wall") check_wall(plan.halve.walls.back(), where(n));
                if (table_name == "size") check_size(plan.mesh.sizes.back(), where(n));
                if (table_name == "thickness" && plan.mesh.thicknesses.back().size <= 0) fail(where(n), "[[thickness]]: thickness.thickness is missing");
                if (table_name == "set") check_set(plan.join.sets.back(), where(n));
                if (table_name == "tie") check_tie(plan.join.ties.back(), where(n));
                if (table_name == "hole") check_hole(plan.mesh.holes.back(), where(n));
                if (table_name == "place") check_place(plan.source.places.back(), where(n));
                if (table_name == "cut") check_cut(plan.strip.cuts.back(), where(n));
                if (table_name == "patch") check_patch(plan.halve.patches.back(), where(n));
                if (table_name == "joint") check_joint(plan.join.joints.back(), where(n));
            }
            continue;
        }
        const auto* inner = node.as_table();
        if (!inner) {
            find_key(table_name, where(node));
            continue;
        }
        const bool known = std::any_of(keys().begin(), keys().end(), [&](const Key& k) { return std::string(k.name).rfind(table_name + ".", 0) == 0; });
        if (!known && inner->empty()) find_key(table_name, where(node));
        for (const auto& [key, value] : *inner) {
            const std::string key_name = table_name + "." + std::string(key.str());
            if (table_name == "strip" && of_strip_rule(key.str())) fail(where(value), key_name + " belongs to a rule: write [[strip]], each adds one");
            if (const auto* group = value.as_table())
                for (const auto& [part, v] : *group) apply(plan, key_name + "." + std::string(part.str()), v, where(v));
            else apply(plan, key_name, value, where(value));
        }
    }
    check_sets(plan, file.string());
    if (plan.source.file.empty()) fail(file.string(), "source.file is missing; name the STEP file, such as file = \"part.step\"");
    // The file is named from where the plan is.
    const std::filesystem::path source = plan.source.file;
    if (source.is_relative()) plan.source.file = (file.parent_path() / source).string();
    return plan;
}

void set_plan_value(Plan& plan, const std::string& assignment) {
    const std::size_t at = assignment.find('=');
    if (at == std::string::npos || at == 0) throw Error(ErrorKind::usage, fmt::format("--set {}: give KEY=VALUE, such as join.reach=2mm", assignment));
    const auto dot = assignment.find('.');
    const bool strip_limit = assignment.rfind("strip.", 0) == 0 && !of_strip_rule(assignment.substr(6, at - 6));
    if (dot < at && record_tables().count(assignment.substr(0, dot)) && !strip_limit)
        throw Error(ErrorKind::usage, fmt::format("--set {}: [[{}]] entries stand in a plan file", assignment, assignment.substr(0, dot)));
    const std::string name = assignment.substr(0, at), value = assignment.substr(at + 1), where = "--set " + assignment;
    toml::table table;
    try {
        table = toml::parse("value = " + value);
    } catch (const toml::parse_error&) {
        table = toml::table{{"value", value}};  // 2mm, beams and the like need no quotes here
    }
    apply(plan, name, *table.get("value"), where);
}

}  // namespace halvo
