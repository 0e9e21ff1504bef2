// What was solved, in the model file.
#include "io/solution_file.hpp"

#include "io/blob.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>

namespace halvo::io {
namespace {

std::vector<double> flat(const Eigen::VectorXd& v) {
    return {v.data(), v.data() + v.size()};
}
Eigen::VectorXd vector_of(BlobIn in) {
    const auto v = in.get<std::vector<double>>();
    return Eigen::Map<const Eigen::VectorXd>(v.data(), static_cast<Eigen::Index>(v.size()));
}
template <class Numbers>
std::string packed(const Numbers& v) {
    BlobOut out;
    out.put(v);
    return out.bytes();
}

// The same function writes and reads: `each` is given every number in turn.
template <class State, class Each>
void numbers_of(State& s, const Each& each) requires requires {
    s.corner;
}
{
    for (Eigen::Index k = 0; k < 3; ++k) each(s.force[k]), each(s.moment[k]), each(s.x[k]), each(s.normal[k]);
    each(s.shear[0]), each(s.shear[1]), each(s.energy);
    for (auto& skin : s.corner)
        for (auto& corner : skin)
            for (auto& v : corner) each(v);
}
template <class State, class Each>
void numbers_of(State& s, const Each& each) requires requires {
    s.most_stress;
}
{
    for (auto& end : s.force)
        for (Eigen::Index k = 0; k < 6; ++k) each(end[k]);
    for (Eigen::Index k = 0; k < 9; ++k) each(s.axes.data()[k]);
    for (std::size_t k = 0; k < 2; ++k) each(s.most_stress[k]), each(s.least_stress[k]), each(s.von_mises[k]);
    each(s.energy);
}
template <class Result, class Each>
void totals_of(Result& r, const Each& each) {
    for (auto* v : {&r.stress_error_at, &r.max_von_mises_elsewhere_at, &r.applied_force, &r.applied_moment, &r.reaction_force, &r.reaction_moment,
                    &r.max_displacement_at, &r.max_von_mises_at})
        for (Eigen::Index k = 0; k < 3; ++k) each((*v)[k]);
    each(r.stress_error), each(r.max_von_mises_elsewhere), each(r.residual), each(r.energy), each(r.max_displacement), each(r.max_von_mises), each(r.load);
}

template <class State>
std::string packed_states(const std::vector<State>& list) {
    std::vector<double> all;
    for (const State& s : list) numbers_of(s, [&](double v) { all.push_back(v); });
    return packed(all);
}
template <class State>
std::vector<State> states_of(BlobIn in) {
    const auto all = in.get<std::vector<double>>();
    std::vector<State> out;
    std::size_t at = 0;
    while (at < all.size()) numbers_of(out.emplace_back(), [&](double& v) { v = at < all.size() ? all[at++] : 0; });
    return out;
}

// What is not known has no number in the database.
constexpr double not_known = -1;
double stored(double v) {
    return std::isnan(v) ? not_known : v;
}
double loaded(double v) {
    return v < 0 ? std::numeric_limits<double>::quiet_NaN() : v;
}

// Of a case, by what they are of.
template <class Result>
auto carried_lists(Result& c) {
    return std::array{std::pair{"property", &c.through_property}, std::pair{"seam", &c.through_seam}, std::pair{"joint", &c.through_joint}};
}

void put_place(Statement& s, const Vec3& p) {
    s.bind(p.x()).bind(p.y()).bind(p.z());
}
Vec3 get_place(Statement& s) {
    const double x = s.real(), y = s.real(), z = s.real();
    return {x, y, z};
}

constexpr const char* strain_kind = "strain";  // of seams, and its jump, beside what goes through them

void save_reference(Database& db, const Solution& s) {
    if (!s.reference) return;
    const SolidReference& r = *s.reference;
    Statement head(db, "INSERT INTO reference VALUES(?,?,?,?,?)");
    head.bind(r.body).bind(r.sweep).bind(static_cast<std::int64_t>(r.solids)).bind(static_cast<std::int64_t>(r.unknowns)).bind(r.volume).done();
    Statement rows(db, "INSERT INTO reference_rows VALUES(?,?,?,?,?)");
    for (const ReferenceRow& k : r.rows) rows.bind(k.what).bind(k.load_case).bind(k.unit).bind(k.model).bind(k.solid).done();
}

void load_reference(Database& db, Solution& s) {
    Statement head(db, "SELECT body,sweep,solids,unknowns,volume FROM reference");
    if (!head.step()) return;
    SolidReference& r = s.reference.emplace();
    r.body = head.text(), r.sweep = head.text(), r.solids = static_cast<std::size_t>(head.integer());
    r.unknowns = static_cast<std::size_t>(head.integer()), r.volume = head.real();
    Statement rows(db, "SELECT what,load_case,unit,model,solid FROM reference_rows ORDER BY rowid");
    while (rows.step()) {
        ReferenceRow k;
        k.what = rows.text(), k.load_case = rows.text(), k.unit = rows.text(), k.model = rows.real(), k.solid = rows.real();
        r.rows.push_back(std::move(k));
    }
}

}  // namespace

void save_solution(Database& db, const Solution& s) {
    if (s.nodes.empty()) return;
    Statement head(db, "INSERT INTO solution VALUES(?,?,?,?,?,?,?,?)");
    head.blob(packed(s.nodes)).blob(packed(s.shell_elements)).blob(packed(s.beam_elements)).bind(static_cast<std::int64_t>(s.unknowns)).bind(s.mass);
    put_place(head, s.mass_centre), head.done();
    Statement r(db, "INSERT INTO results VALUES(?,?,?,?,?,?,?,?,?,?,?)");
    for (const CaseResult& c : s.cases) {
        std::vector<double> totals;
        totals_of(c, [&](double v) { totals.push_back(v); });
        BlobOut supports, stress;
        supports.put(static_cast<std::uint64_t>(c.of_support.size()));
        for (const auto& [name, f] : c.of_support) {
            supports.put(std::vector<char>(name.begin(), name.end()));
            for (Eigen::Index k = 0; k < 6; ++k) supports.put(f[k]);
        }
        stress.put(static_cast<std::uint64_t>(c.node_von_mises.size()));
        for (const auto& v : c.node_von_mises) stress.put(v[0]).put(v[1]).put(v[2]);
        r.bind(c.name).blob(packed(flat(c.movement))).blob(packed(flat(c.applied))).blob(packed(flat(c.reaction))).blob(packed_states(c.shells));
        r.blob(packed_states(c.beams)).blob(stress.bytes()).blob(packed(totals)).blob(supports.bytes()).blob(packed(c.energy_of)).bind(c.peak).done();
    }
    Statement through(db, "INSERT INTO carried VALUES(?,?,?,?,?)");
    for (std::size_t i = 0; i < s.cases.size(); ++i)
        for (const auto& [kind, list] : carried_lists(s.cases[i]))
            for (std::size_t k = 0; k < list->size(); ++k)
                through.bind(static_cast<int>(i)).bind(kind).bind(static_cast<int>(k)).bind(stored((*list)[k].force)).bind(stored((*list)[k].moment)).done();
    for (std::size_t i = 0; i < s.cases.size(); ++i)
        for (std::size_t k = 0; k < s.cases[i].seam_strain.size(); ++k)
            through.bind(static_cast<int>(i))
                .bind(strain_kind)
                .bind(static_cast<int>(k))
                .bind(stored(s.cases[i].seam_strain[k].strain))
                .bind(stored(s.cases[i].seam_strain[k].jump))
                .done();
    save_reference(db, s);
    Statement m(db, "INSERT INTO modes VALUES(?,?,?)");
    for (std::size_t i = 0; i < s.modes.size(); ++i) m.bind(static_cast<int>(i + 1)).bind(s.modes[i].frequency).blob(packed(flat(s.modes[i].movement))).done();
    Statement p(db, "INSERT INTO probes VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)");
    for (const ProbeResult& k : s.probes) {
        p.bind(k.name).bind(k.load_case).bind(k.of).bind(k.unit).bind(k.min).bind(k.max).bind(k.mean).bind(k.sum).bind(static_cast<std::int64_t>(k.count));
        put_place(p, k.min_at), put_place(p, k.max_at), p.bind(k.known_form).bind(k.known_figure).bind(k.known).done();
    }
    Statement q(db, "INSERT INTO properties VALUES(?,?,?,?,?,?,?,?,?)");
    for (const Property& k : s.properties)
        q.bind(k.what)
            .bind(k.body)
            .bind(k.material)
            .bind(k.section)
            .bind(k.sheet.value)
            .bind(k.member.value)
            .bind(k.thickness)
            .bind(k.mass)
            .bind(k.volume)
            .done();
}

void load_solution(Database& db, Solution& s, int version) {
    Statement head(db, "SELECT nodes,shells,beams,unknowns,mass,centre_x,centre_y,centre_z FROM solution");
    if (!head.step()) return;
    s.nodes = BlobIn(head.text()).get<std::vector<Vec3>>();
    s.shell_elements = BlobIn(head.text()).get<std::vector<std::int32_t>>(), s.beam_elements = BlobIn(head.text()).get<std::vector<std::int32_t>>();
    s.unknowns = static_cast<std::size_t>(head.integer()), s.mass = head.real(), s.mass_centre = get_place(head);
    Statement r(db, "SELECT name,movement,applied,reaction,shells,beams,node_stress,totals,supports,energy,peak FROM results ORDER BY rowid");
    while (r.step()) {
        CaseResult c;
        c.name = r.text();
        c.movement = vector_of(BlobIn(r.text())), c.applied = vector_of(BlobIn(r.text())), c.reaction = vector_of(BlobIn(r.text()));
        c.shells = states_of<ShellState>(BlobIn(r.text())), c.beams = states_of<BeamState>(BlobIn(r.text()));
        BlobIn stress(r.text());
        const auto nodes = stress.get<std::uint64_t>();
        for (std::uint64_t i = 0; i < nodes; ++i) {
            std::array<double, 3> v{};
            for (double& k : v) k = stress.get<double>();
            c.node_von_mises.push_back(v);
        }
        const auto totals = BlobIn(r.text()).get<std::vector<double>>();
        std::size_t at = 0;
        totals_of(c, [&](double& v) { v = at < totals.size() ? totals[at++] : 0; });
        BlobIn supports(r.text());
        const auto count = supports.get<std::uint64_t>();
        for (std::uint64_t i = 0; i < count; ++i) {
            const auto name = supports.get<std::vector<char>>();
            Eigen::Matrix<double, 6, 1> f;
            for (Eigen::Index k = 0; k < 6; ++k) f[k] = supports.get<double>();
            c.of_support.emplace_back(std::string(name.begin(), name.end()), f);
        }
        c.energy_of = BlobIn(r.text()).get<std::vector<double>>(), c.peak = r.text();
        s.cases.push_back(std::move(c));
    }
    if (version >= 12) {
        Statement through(db, "SELECT result,kind,force,moment FROM carried ORDER BY result,kind,number");
        while (through.step()) {
            const auto i = static_cast<std::size_t>(through.integer());
            const std::string what = through.text();
            const double force = loaded(through.real()), moment = loaded(through.real());
            for (const auto& [kind, list] : carried_lists(s.cases.at(i)))
                if (what == kind) list->push_back({force, moment});
            if (what == strain_kind) s.cases.at(i).seam_strain.push_back({force, moment});
        }
    }
    Statement m(db, "SELECT frequency,movement FROM modes ORDER BY number");
    while (m.step()) {
        ModeResult k;
        k.frequency = m.real(), k.movement = vector_of(BlobIn(m.text()));
        s.modes.push_back(std::move(k));
    }
    if (version >= 13) load_reference(db, s);
    Statement p(db, fmt::format("SELECT name,load_case,of,unit,min,max,mean,sum,count,min_x,min_y,min_z,max_x,max_y,max_z{} FROM probes ORDER BY rowid",
                                version >= 13 ? ",known_form,known_figure,known" : ""));
    while (p.step()) {
        ProbeResult k;
        k.name = p.text(), k.load_case = p.text(), k.of = p.text(), k.unit = p.text(), k.min = p.real(), k.max = p.real(), k.mean = p.real(), k.sum = p.real();
        k.count = static_cast<std::size_t>(p.integer()), k.min_at = get_place(p), k.max_at = get_place(p);
        if (version >= 13) k.known_form = p.text(), k.known_figure = p.text(), k.known = p.real();
        s.probes.push_back(std::move(k));
    }
    Statement q(db, "SELECT what,body,material,section,sheet,member,thickness,mass,volume FROM properties ORDER BY rowid");
    while (q.step()) {
        Property k;
        k.what = q.text(), k.body = q.text(), k.material = q.text(), k.section = q.text(), k.sheet = SheetId(q.number()), k.member = MemberId(q.number());
        k.thickness = q.real(), k.mass = q.real(), k.volume = q.real();
        s.properties.push_back(std::move(k));
    }
}

}  // namespace halvo::io
