// The keys of all stages up to prove.
#include "io/plan_keys.hpp"

#include <algorithm>
#include <array>
#include <iterator>

namespace halvo::plan_file {

namespace {

template <class Records>
RecordTable table_of(const Records& records) {
    return {[records](Plan& p) { records(p).emplace_back(); }, [records](const Plan& p) { return records(const_cast<Plan&>(p)).size(); },
            [records](Plan& p, std::size_t i) { std::swap(records(p)[i], records(p).back()); }};
}

}  // namespace

const std::map<std::string, RecordTable>& record_tables() {
    static const std::map<std::string, RecordTable> all = [] {
        std::map<std::string, RecordTable> t = {{"wall", table_of([](Plan & p) -> auto& { return p.halve.walls; })},
                                                {"joint", table_of([](Plan & p) -> auto& { return p.join.joints; })},
                                                {"thickness", table_of([](Plan & p) -> auto& { return p.mesh.thicknesses; })},
                                                {"tie", table_of([](Plan & p) -> auto& { return p.join.ties; })},
                                                {"patch", table_of([](Plan & p) -> auto& { return p.halve.patches; })},
                                                {"hole", table_of([](Plan & p) -> auto& { return p.mesh.holes; })},
                                                {"place", table_of([](Plan & p) -> auto& { return p.source.places; })},
                                                {"set", table_of([](Plan & p) -> auto& { return p.join.sets; })},
                                                {"size", table_of([](Plan & p) -> auto& { return p.mesh.sizes; })},
                                                {"strip", table_of([](Plan & p) -> auto& { return p.strip.rules; })},
                                                {"cut", table_of([](Plan & p) -> auto& { return p.strip.cuts; })},
                                                {"frame", table_of([](Plan & p) -> auto& { return p.join.frames; })},
                                                {"material", table_of([](Plan & p) -> auto& { return p.solve.materials; })},
                                                {"support", table_of([](Plan & p) -> auto& { return p.solve.supports; })},
                                                {"load", table_of([](Plan & p) -> auto& { return p.solve.loads; })},
                                                {"mass", table_of([](Plan & p) -> auto& { return p.solve.masses; })},
                                                {"point", table_of([](Plan & p) -> auto& { return p.solve.points; })},
                                                {"release", table_of([](Plan & p) -> auto& { return p.solve.releases; })},
                                                {"case", table_of([](Plan & p) -> auto& { return p.solve.cases; })},
                                                {"probe", table_of([](Plan & p) -> auto& { return p.solve.probes; })}};
        t["material"].add = add_material;
        return t;
    }();
    return all;
}

namespace {

Reference reference_of(const std::string& v) {
    return v == "outer" ? Reference::outer : v == "inner" ? Reference::inner : Reference::middle;
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

}  // namespace

Box3 box_of(const std::vector<Vec3>& corners) {
    Box3 b;
    for (const Vec3& p : corners) b.extend(p);
    return b;
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
        {"set.of",
         Kind::choice,
         {},
         [](Plan& p, Texts v) {
             constexpr std::array<std::pair<const char*, SetOf>, 6> kinds{{{"sheets", SetOf::sheets},
                                                                           {"members", SetOf::members},
                                                                           {"edges", SetOf::edges},
                                                                           {"vertices", SetOf::vertices},
                                                                           {"nodes", SetOf::nodes},
                                                                           {"elements", SetOf::elements}}};
             for (const auto& [name, kind] : kinds)
                 if (v[0] == name) p.join.sets.back().of = kind;
         },
         {"sheets", "members", "edges", "vertices", "nodes", "elements"}},
        {"set.where", Kind::text, {}, [](Plan& p, Texts v) { p.join.sets.back().where = v[0]; }},
        {"set.frame", Kind::text, {}, [](Plan& p, Texts v) { p.join.sets.back().frame = v[0]; }},
        {"set.plus", Kind::texts, {}, [](Plan& p, Texts v) { p.join.sets.back().plus = std::move(v); }},
        {"set.minus", Kind::texts, {}, [](Plan& p, Texts v) { p.join.sets.back().minus = std::move(v); }},
        {"set.common", Kind::texts, {}, [](Plan& p, Texts v) { p.join.sets.back().common = std::move(v); }},
        {"frame.name", Kind::text, {}, [](Plan& p, Texts v) { p.join.frames.back().name = v[0]; }},
        {"frame.kind",
         Kind::choice,
         {},
         [](Plan& p, Texts v) {
             using Frames = FrameRule::Kind;
             p.join.frames.back().kind = v[0] == "cylindrical" ? Frames::cylindrical : v[0] == "spherical" ? Frames::spherical : Frames::cartesian;
         },
         {"cartesian", "cylindrical", "spherical"}},
        {"frame.origin", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.join.frames.back().origin = v[0]; }},
        {"frame.z", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.join.frames.back().z = v[0]; }},
        {"frame.x", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.join.frames.back().x = v[0]; }},
        {"frame.circle", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.join.frames.back().circle = v[0]; }},
        {"frame.edge", Kind::points, {}, {}, {}, [](Plan& p, std::vector<Vec3> v) { p.join.frames.back().edge = v[0]; }},
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

}  // namespace halvo::plan_file
