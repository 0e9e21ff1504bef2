#include "solve/building.hpp"

#include "body/named.hpp"
#include "core/index.hpp"

#include <Eigen/LU>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr double outline_chord = 0.002;  // of a profile's depth: how finely its outline is looked at for stress

BeamSection stiffness_of(const Section& s) {
    BeamSection b;
    b.area = s.area, b.iyy = s.iyy, b.izz = s.izz, b.iyz = s.iyz, b.j = s.j > 0 ? s.j : s.iyy + s.izz;
    b.shear_centre = s.shear_centre, b.shear_share = s.shear_share, b.torsion_radius = s.torsion_radius > 0 ? s.torsion_radius : 0.5 * s.depth;
    for (const auto& loop : s.profile)
        for (const Curve& c : loop)
            for (const Vec3& p : c.sampled(outline_chord * s.depth, 8)) b.outline.emplace_back(p.x(), p.y());
    return b;
}

// Number of the material of each element; names the bodies that have none.
std::vector<std::int32_t> materials_of(const Picker& picker, const SolveOptions& options) {
    const Mesh& mesh = picker.mesh();
    std::vector<std::int32_t> out(mesh.elements.size(), -1);
    for (std::size_t r = 0; r < options.materials.size(); ++r) {
        const auto list = picker.elements(options.materials[r].of);
        for (const std::size_t e : list) out[e] = static_cast<std::int32_t>(r);
    }
    std::set<std::string> without;
    for (std::size_t e = 0; e < out.size(); ++e) {
        const Element& k = mesh.elements[e];
        if (k.kind != ElementKind::rigid && out[e] < 0)
            without.insert(k.body && ix(k.body) < picker.model().bodies.size() ? picker.model().bodies[ix(k.body)].label : "the model");
    }
    if (!without.empty())
        throw Error(ErrorKind::stage, fmt::format("no material for {}{}; add [[material]] with name = \"steel\", or young, poisson and density",
                                                  *without.begin(), without.size() > 1 ? fmt::format(" and {} more bodies", without.size() - 1) : ""));
    return out;
}

// Those of the sheet's surface: elements at a border know no neighbour beyond it.
void set_normals(ShellPart& p, const Model& model, const Mesh& mesh, const Element& e) {
    if (!e.sheet || model.sheets[ix(e.sheet)].chart.flat()) return;
    const Chart& chart = model.sheets[ix(e.sheet)].chart;
    const Vec3 a = mesh.nodes[ix(e.nodes[1])] - mesh.nodes[ix(e.nodes[0])], b = mesh.nodes[ix(e.nodes[2])] - mesh.nodes[ix(e.nodes[0])];
    const Vec3 own = e.count == 4 ? Vec3(b.cross(mesh.nodes[ix(e.nodes[3])] - mesh.nodes[ix(e.nodes[1])]).normalized()) : Vec3(a.cross(b).normalized());
    constexpr double within = 0.7;  // cosine to the element's own: a surface that turns more between its nodes says nothing of the element
    std::array<Vec3, 4> normals = p.normals;
    for (std::size_t k = 0; k < e.count; ++k) {
        normals[k] = chart.normal(mesh.nodes[ix(e.nodes[k])]);
        if (!(std::abs(normals[k].dot(own)) > within)) return;
        if (normals[k].dot(own) < 0) normals[k] = -normals[k];
    }
    p.normals = normals;
}

void add_parts(Built& out, const Picker& picker, const std::vector<std::int32_t>& materials) {
    const Model& model = picker.model();
    const Mesh& mesh = picker.mesh();
    for (std::size_t i = 0; i < mesh.elements.size(); ++i) {
        const Element& e = mesh.elements[i];
        if (e.kind == ElementKind::shell) {
            ShellPart p;
            for (std::size_t k = 0; k < e.count; ++k) p.nodes[k] = e.nodes[k];
            p.thickness = e.thickness, p.offset = e.offset, p.material = materials[i], p.group = e.sheet.value;
            set_normals(p, model, mesh, e);
            if (!(p.thickness > 0)) throw Error(ErrorKind::stage, fmt::format("shell {} has no thickness; give it one with [[thickness]]", i + 1));
            out.structure.shells.push_back(p), out.shell_elements.push_back(static_cast<std::int32_t>(i));
        } else if (e.kind == ElementKind::beam) {
            BeamPart p;
            p.nodes = {e.nodes[0], e.nodes[1]}, p.section = e.section.value, p.material = materials[i], p.group = e.member.value, p.arm = e.section_offset;
            if (e.member) {
                const Member& m = model.members[ix(e.member)];
                const Vec3 middle = 0.5 * (mesh.nodes[ix(e.nodes[0])] + mesh.nodes[ix(e.nodes[1])]);
                p.y = m.axis.frame(m.axis.parameter(middle)).x;
            }
            if (!e.section || !(model.sections[ix(e.section)].area > 0))
                throw Error(ErrorKind::stage, fmt::format("line element {} has no cross-section", i + 1));
            out.structure.beams.push_back(p), out.beam_elements.push_back(static_cast<std::int32_t>(i));
        } else if (e.nodes[0] != e.nodes[1]) {
            out.structure.arms.push_back({e.nodes[0], e.nodes[1]});
        }
    }
}

// A tied node's displacement is that of its place on the element.
void add_ties(Built& out, const Mesh& mesh) {
    for (const TiedNode& t : mesh.ties) {
        const Element& e = mesh.elements[ix(t.element)];
        for (std::int64_t axis = 0; axis < 3; ++axis) {
            MotionEquation q;
            q.terms.emplace_back(6 * std::int64_t{t.node} + axis, 1);
            for (std::size_t k = 0; k < e.count; ++k) {
                const std::int64_t n = 6 * std::int64_t{e.nodes[k]};
                const double w = t.weights[k];
                if (w == 0) continue;
                q.terms.emplace_back(n + axis, -w);
                // rotation x arm
                const std::int64_t a = (axis + 1) % 3, b = (axis + 2) % 3;
                q.terms.emplace_back(n + 3 + a, -w * t.arm[b]), q.terms.emplace_back(n + 3 + b, w * t.arm[a]);
            }
            out.structure.equations.push_back(std::move(q));
        }
    }
}

void add_coupling_masses(Built& out, const Picker& picker, const SolveOptions& options) {
    for (const Coupling& c : picker.model().couplings) {
        const NodeId n = picker.index().node_of(c.centre);
        if (!n || c.volume <= 0) continue;
        double density = 0;
        for (const MaterialRule& r : options.materials)
            if (r.of.id.empty() && !r.of.within &&
                (r.of.body.empty() || (c.body && ix(c.body) < picker.model().bodies.size() && is_named(picker.model().bodies[ix(c.body)], r.of.body))))
                density = r.material.density;
        if (density > 0) out.structure.masses.push_back({n.value, density * c.volume, Eigen::Matrix3d::Zero()});
    }
}

// The point moves as the nodes do on average: the rigid motion of least squared differences (weights as shares).
void hold_on_average(Structure& s, std::int32_t point, const std::vector<std::int32_t>& nodes, const std::vector<double>& share, const std::string& name) {
    Vec3 centre = Vec3::Zero();
    for (std::size_t i = 0; i < nodes.size(); ++i) centre += share[i] * s.nodes[ix(nodes[i])];
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        const Vec3 r = s.nodes[ix(nodes[i])] - centre;
        spread += share[i] * (r.squaredNorm() * Eigen::Matrix3d::Identity() - r * r.transpose());
    }
    const double size = spread.trace();
    const Vec3 arm = s.nodes[ix(point)] - centre;
    const bool turns = nodes.size() > 2 && spread.determinant() > 1e-9 * size * size * size;
    if (!turns && arm.norm() > 1e-6 * (1 + std::sqrt(size)))
        throw Error(ErrorKind::stage,
                    fmt::format("[[point]] \"{}\": its nodes lie on one line, so their average has no rotation; take more, or how = \"rigid\"", name));
    const Eigen::Matrix3d inverse = turns ? Eigen::Matrix3d(spread.inverse()) : Eigen::Matrix3d(Eigen::Matrix3d::Zero());
    const std::int64_t p = 6 * std::int64_t{point};
    const auto cross = [](const Vec3& a) {
        Eigen::Matrix3d m;
        m << 0, -a.z(), a.y(), a.z(), 0, -a.x(), -a.y(), a.x(), 0;
        return m;
    };
    for (int axis = 0; axis < 3; ++axis) {
        MotionEquation move, turn;
        move.terms.emplace_back(p + axis, 1), turn.terms.emplace_back(p + 3 + axis, 1);
        for (std::size_t i = 0; i < nodes.size(); ++i) {
            const Vec3 r = s.nodes[ix(nodes[i])] - centre;
            const Eigen::Matrix3d rotation = share[i] * inverse * cross(r);                                // of the nodes, over their displacement
            const Eigen::Matrix3d shift = share[i] * Eigen::Matrix3d::Identity() - cross(arm) * rotation;  // rotation x arm
            for (int k = 0; k < 3; ++k) {
                const std::int64_t m = 6 * std::int64_t{nodes[i]} + k;
                if (shift(axis, k) != 0) move.terms.emplace_back(m, -shift(axis, k));
                if (turns && rotation(axis, k) != 0) turn.terms.emplace_back(m, -rotation(axis, k));
                if (!turns && k == axis) turn.terms.emplace_back(m + 3, -share[i]);
            }
        }
        s.equations.push_back(std::move(move)), s.equations.push_back(std::move(turn));
    }
}

void add_points(Built& out, Picker& picker, const SolveOptions& options) {
    for (const PointRule& r : options.points) {
        const auto nodes = picker.nodes(r.of);
        if (nodes.empty()) throw Error(ErrorKind::stage, fmt::format("[[point]] \"{}\": {} picks no nodes", r.name, Picker::words(r.of)));
        const auto point = static_cast<std::int32_t>(out.structure.nodes.size());
        out.structure.nodes.push_back(r.at - picker.model().shift);
        picker.name_point(r.name, point);
        if (r.rigid)
            for (const std::int32_t n : nodes) out.structure.arms.push_back({point, n});
        else hold_on_average(out.structure, point, nodes, picker.shares(r.of, nodes), r.name);
    }
}

void add_masses(Built& out, const Picker& picker, const SolveOptions& options) {
    for (const MassRule& r : options.masses) {
        const auto nodes = picker.nodes(r.of);
        if (nodes.empty()) throw Error(ErrorKind::stage, fmt::format("[[mass]]: {} picks no nodes", Picker::words(r.of)));
        const auto share = picker.shares(r.of, nodes);
        for (std::size_t i = 0; i < nodes.size(); ++i)
            out.structure.masses.push_back({nodes[i], share[i] * r.mass, share[i] * Eigen::Matrix3d(r.inertia.asDiagonal())});
    }
}

void add_releases(Built& out, const Picker& picker, const SolveOptions& options) {
    for (const ReleaseRule& r : options.releases) {
        std::map<std::int32_t, std::array<std::pair<double, std::size_t>, 2>> ends;  // of each member: first and last beam by place along it
        const auto list = picker.elements(r.of);
        for (std::size_t b = 0; b < out.structure.beams.size(); ++b) {
            const auto e = static_cast<std::size_t>(out.beam_elements[b]);
            if (!std::binary_search(list.begin(), list.end(), e)) continue;
            const BeamPart& p = out.structure.beams[b];
            if (p.group < 0) continue;
            const Member& m = picker.model().members[ix(p.group)];
            const double at = m.axis.parameter(0.5 * (out.structure.nodes[ix(p.nodes[0])] + out.structure.nodes[ix(p.nodes[1])]));
            const auto [it, fresh] = ends.try_emplace(p.group);
            if (fresh) it->second = {std::pair(at, b), std::pair(at, b)};
            if (at < it->second[0].first) it->second[0] = {at, b};
            if (at > it->second[1].first) it->second[1] = {at, b};
        }
        if (ends.empty()) throw Error(ErrorKind::stage, fmt::format("[[release]]: {} picks no members", Picker::words(r.of)));
        for (const auto& [group, pair] : ends) {
            const Member& m = picker.model().members[ix(group)];
            for (const std::size_t last : {std::size_t{0}, std::size_t{1}}) {
                if (last == 0 ? !r.start : !r.end) continue;
                BeamPart& p = out.structure.beams[pair[last].second];
                const double a = m.axis.parameter(out.structure.nodes[ix(p.nodes[0])]), b = m.axis.parameter(out.structure.nodes[ix(p.nodes[1])]);
                const std::size_t end = (a < b) == (last == 1) ? 1 : 0;
                for (std::size_t k = 0; k < 6; ++k) p.released[end][k] = p.released[end][k] || r.free[k];
            }
        }
    }
}

void list_properties(Built& out, const Picker& picker) {
    const Model& model = picker.model();
    std::map<std::pair<int, std::int32_t>, std::int32_t> numbers;  // of shells of a sheet, of beams of a member
    const auto named = [&](BodyId b) { return b && ix(b) < model.bodies.size() ? model.bodies[ix(b)].label : std::string(); };
    const auto property = [&](int kind, std::int32_t group) -> std::int32_t {
        const auto [it, fresh] = numbers.try_emplace({kind, group}, static_cast<std::int32_t>(out.properties.size()));
        if (fresh) out.properties.emplace_back();
        return it->second;
    };
    std::vector<double> area;
    for (const ShellPart& p : out.structure.shells) {
        const std::int32_t n = property(0, p.group);
        area.resize(out.properties.size(), 0.0), out.shell_properties.push_back(n);
        ShellShape s;
        s.count = p.count();
        for (int k = 0; k < s.count; ++k) s.nodes[ix(k)] = out.structure.nodes[ix(p.nodes[ix(k)])];
        double a = 0;
        for (const double v : shell_areas(s)) a += v;
        Property& q = out.properties[ix(n)];
        const Material& m = out.structure.materials[ix(p.material)];
        q.material = m.name, q.volume += a * p.thickness, q.mass += a * p.thickness * m.density, area[ix(n)] += a;
        if (p.group >= 0) q.sheet = SheetId(p.group), q.what = model.sheets[ix(p.group)].key, q.body = named(model.sheets[ix(p.group)].body);
    }
    for (std::size_t i = 0; i < area.size(); ++i)
        if (area[i] > 0) out.properties[i].thickness = out.properties[i].volume / area[i];
    for (const BeamPart& p : out.structure.beams) {
        const std::int32_t n = property(1, p.group);
        out.beam_properties.push_back(n);
        Property& q = out.properties[ix(n)];
        const Material& m = out.structure.materials[ix(p.material)];
        const double volume = out.structure.sections[ix(p.section)].area * (out.structure.nodes[ix(p.nodes[1])] - out.structure.nodes[ix(p.nodes[0])]).norm();
        q.material = m.name, q.section = model.sections[ix(p.section)].shape, q.volume += volume, q.mass += m.density * volume;
        if (p.group >= 0) q.member = MemberId(p.group), q.what = model.members[ix(p.group)].key, q.body = named(model.members[ix(p.group)].body);
    }
}

// Where the model brings forces into shells at single nodes.
void mark_joints(Built& out, const Mesh& mesh) {
    std::vector<char> shell(out.structure.nodes.size(), 0);
    for (const ShellPart& p : out.structure.shells)
        for (int k = 0; k < p.count(); ++k) shell[ix(p.nodes[ix(k)])] = 1;
    const auto mark = [&](std::int32_t n, const char* why) {
        if (shell[ix(n)]) out.peaks.try_emplace(n, why);
    };
    for (const RigidArm& a : out.structure.arms) mark(a.master, "a rigid link ends there"), mark(a.slave, "a rigid link ends there");
    for (const BeamPart& b : out.structure.beams)
        for (const std::int32_t n : b.nodes) mark(n, "a member meets the shell there");
    for (const TiedNode& t : mesh.ties) mark(t.node, "a tied edge is there");
}

}  // namespace

Built built(Picker& picker, const SolveOptions& options) {
    Built out;
    out.structure.nodes = picker.mesh().nodes;
    const auto materials = materials_of(picker, options);
    for (const MaterialRule& r : options.materials) out.structure.materials.push_back(r.material);
    for (const Section& s : picker.model().sections) out.structure.sections.push_back(stiffness_of(s));
    add_parts(out, picker, materials);
    add_ties(out, picker.mesh());
    add_points(out, picker, options);
    add_coupling_masses(out, picker, options);
    add_masses(out, picker, options);
    add_releases(out, picker, options);
    list_properties(out, picker);
    mark_joints(out, picker.mesh());
    return out;
}

void mark_peaks(Built& built, const Picker& picker, const SolveOptions& options) {
    const auto mark = [&](const Selection& of, const char* why) {
        if (of.points.empty()) return;
        for (const std::int32_t n : picker.nodes(of)) built.peaks.try_emplace(n, why);
    };
    for (const SupportRule& r : options.supports) mark(r.of, "a single point is held there");
    for (const LoadRule& r : options.loads)
        if (r.kind == LoadRule::Kind::force || r.kind == LoadRule::Kind::moment) mark(r.of, "a force acts on a single point there");
}

}  // namespace halvo
