// The solid beside its shells: the swept body in solid elements; supports and loads go over from the shells' nodes to the solid's by where these lie on them.
#include <halvo/reference.hpp>

#include "core/index.hpp"
#include "core/parallel.hpp"
#include "geom/facet_tree.hpp"
#include "solve/held.hpp"
#include "solve/shell_facets.hpp"
#include "solve/sweep.hpp"

#include <Eigen/Cholesky>
#include <Eigen/LU>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double farthest = 1.5;        // thicknesses from the shells, of nodes of the solid that stand for them
constexpr double counts = 0.02;         // share of a node in a place below which it says nothing of it
constexpr double in_the_middle = 0.05;  // thicknesses from the middle, of what holds a side that may turn
constexpr double longest = 6;           // thicknesses along the sweep, of an element at most
constexpr std::size_t most = 200'000;   // solid elements: the factorization takes minutes and some gigabytes from there

[[noreturn]] void not_for(const std::string& what) {
    throw Error(ErrorKind::stage, "the solid reference is for one body of sheets that a plane face sweeps out; " + what);
}

// Where a node of the solid lies on the shells.
struct Foot {
    std::array<std::pair<std::int32_t, double>, 3> nodes{};  // and their shares
    double off = 0;                                          // from the middle, in thicknesses
    bool known = false;
};

class Referring {
public:
    Referring(const Assembly& solids, const Model& model, const Mesh& mesh, const SolveOptions& options, const JoinOptions& names, const Solution& solution,
              const Observer& observer)
        : solids_(solids), options_(options), solution_(solution), observer_(observer), picker_(model, mesh, names), built_(built(picker_, options)) {}

    [[nodiscard]] SolidReference run() {
        check();
        const Body& body = solids_.bodies.front();
        const auto sweep = sweep_of(body);
        if (!sweep) not_for(fmt::format("{} is none", body.label));
        make_solids(body, *sweep);
        find_feet();
        share_out();
        hold();
        solve_all();
        out_.body = body.label, out_.sweep = sweep->words();
        return std::move(out_);
    }

private:
    void check() const {
        const Structure& s = built_.structure;
        if (solids_.bodies.size() != 1) not_for(fmt::format("there are {} bodies", solids_.bodies.size()));
        if (!s.beams.empty() || s.shells.empty()) not_for("it has become lines");
        if (!s.arms.empty()) not_for("the model has rigid links or points");
        for (const LoadRule& l : options_.loads)
            if (l.kind == LoadRule::Kind::temperature) not_for("loads by temperature do not go over yet");
        for (const SupportRule& r : options_.supports) {
            if (std::any_of(r.spring.begin(), r.spring.end(), [](double k) { return k > 0; })) not_for("springs do not go over yet");
            if (!r.load_case.empty()) not_for("supports of single cases do not go over yet");
        }
        if (solution_.cases.empty()) not_for("there are no cases");
    }

    void make_solids(const Body& body, const Sweep& sweep) {
        double thin = std::numeric_limits<double>::max(), thick = 0, side = 0;
        for (const ShellPart& p : built_.structure.shells) {
            thin = std::min(thin, p.thickness), thick = std::max(thick, p.thickness);
            side +=
                (built_.structure.nodes[ix(p.nodes[1])] - built_.structure.nodes[ix(p.nodes[0])]).norm() / static_cast<double>(built_.structure.shells.size());
        }
        const int across = std::max(1, options_.reference.across);
        const double along = options_.reference.size.value_or(0.5 * side);
        // A plate is swept through its thickness; a profile has its walls in the cap.
        constexpr double of_a_plate = 1.2;
        const bool plate = sweep.way <= of_a_plate * thick;
        const double size = plate ? along : thin / across;
        const int layers = plate ? across : std::max(1, static_cast<int>(std::ceil(sweep.way / std::min(along, longest * thin))));
        const double cap = body.mass.volume / sweep.way;
        if (const double count = cap / (size * size) * layers; count > static_cast<double>(most))
            not_for(fmt::format("it would take about {:.0f} solid elements; give a larger reference.size or a smaller reference.across", count));
        const SolidMesh mesh = swept(body, sweep, size, layers);
        out_.solids = mesh.solids.size(), out_.volume = mesh.volume;
        structure_.nodes = mesh.nodes, structure_.materials = built_.structure.materials;
        const std::int32_t material = built_.structure.shells.front().material;
        for (const ShellPart& p : built_.structure.shells)
            if (p.material != material) not_for("its sheets are of several materials");
        for (const auto& nodes : mesh.solids) structure_.solids.push_back({nodes, material, 0});
    }

    void find_feet() {
        const auto& shells = built_.structure.shells;
        const auto& nodes = built_.structure.nodes;
        const ShellFacets facets = shell_facets(built_.structure);
        const FacetTree tree(nodes, facets.corners);
        double deepest = 0;
        for (const ShellPart& p : shells) deepest = std::max(deepest, p.thickness + 2 * std::abs(p.offset));
        feet_.resize(structure_.nodes.size());
        parallel_for(feet_.size(), [&](std::size_t n) {
            const auto near = tree.nearest(structure_.nodes[n], farthest * deepest);
            if (!near) return;
            const ShellPart& p = shells[ix(facets.shell[ix(near->facet)])];
            if (near->distance > farthest * (p.thickness + 2 * std::abs(p.offset))) return;
            Foot& f = feet_[n];
            f.known = true, f.off = near->distance / p.thickness;
            const auto& c = facets.corners[ix(near->facet)];
            Eigen::Matrix3d to;
            for (int k = 0; k < 3; ++k) to.col(k) = nodes[ix(c[ix(k)])];
            const Vec3 a = to.col(1) - to.col(0), b = to.col(2) - to.col(0), d = near->point - to.col(0);
            Eigen::Matrix2d g;
            g << a.dot(a), a.dot(b), b.dot(a), b.dot(b);
            const Vec2 w = g.inverse() * Vec2(a.dot(d), b.dot(d));
            f.nodes = {{{c[0], 1 - w.sum()}, {c[1], w.x()}, {c[2], w.y()}}};
        });
    }

    // For each node of the shells the nodes of the solid that stand for it, by the volume that each has.
    void share_out() {
        std::vector<double> volume(structure_.nodes.size(), 0.0);
        for (const SolidPart& p : structure_.solids) {
            std::array<Vec3, 8> corners;
            for (std::size_t k = 0; k < 8; ++k) corners[k] = structure_.nodes[ix(p.nodes[k])];
            for (const std::int32_t n : p.nodes) volume[ix(n)] += hexahedron_volume(corners);
        }
        stands_for_.resize(built_.structure.nodes.size());
        for (std::size_t n = 0; n < feet_.size(); ++n)
            for (const auto& [k, w] : feet_[n].nodes)
                if (feet_[n].known && w > counts) stands_for_[ix(k)].emplace_back(static_cast<std::int32_t>(n), w * volume[n]);
        for (std::size_t k = 0; k < stands_for_.size(); ++k) {
            auto& list = stands_for_[k];
            if (list.empty()) list.emplace_back(nearest_solid_node(built_.structure.nodes[k]), 1.0);
            double sum = 0;
            for (const auto& [n, w] : list) sum += w;
            for (auto& [n, w] : list) w /= sum;
        }
    }

    [[nodiscard]] std::int32_t nearest_solid_node(const Vec3& p) const {
        std::size_t best = 0;
        for (std::size_t n = 1; n < structure_.nodes.size(); ++n)
            if ((structure_.nodes[n] - p).squaredNorm() < (structure_.nodes[best] - p).squaredNorm()) best = n;
        return static_cast<std::int32_t>(best);
    }

    void hold() {
        for (std::size_t r = 0; r < options_.supports.size(); ++r) {
            const auto asked = held_by(built_.structure.nodes, picker_, options_.supports[r]);
            for (const auto& [node, how] : asked)
                if (how.turned) not_for("turned supports do not go over yet");
            hold(asked, static_cast<std::int32_t>(r));
        }
    }

    // Held where all that it lies on is held; a side that may turn, in its middle alone. What no node of the solid lies on alone is held at the nearest.
    void hold(const std::map<std::int32_t, HeldNode>& asked, std::int32_t source) {
        std::set<std::int32_t> done;
        for (std::size_t n = 0; n < feet_.size(); ++n) {
            if (!feet_[n].known) continue;
            const HeldNode* first = nullptr;
            double largest = 0;
            bool all = true, may_turn = true;
            std::vector<std::int32_t> on;
            for (const auto& [k, w] : feet_[n].nodes) {
                if (w <= counts) continue;
                const auto it = asked.find(k);
                all = all && it != asked.end();
                if (it == asked.end()) continue;
                on.push_back(k), may_turn = may_turn && !it->second.turns;
                if (w > largest) largest = w, first = &it->second;
            }
            if (!all || !first || (may_turn && feet_[n].off > in_the_middle)) continue;
            done.insert(on.begin(), on.end());
            put(static_cast<std::int32_t>(n), *first, source);
        }
        for (const auto& [k, a] : asked)
            if (!done.contains(k)) put(nearest_solid_node(built_.structure.nodes[ix(k)]), a, source);
    }

    void put(std::int32_t node, const HeldNode& a, std::int32_t source) {
        for (const auto& [d, value] : a.moves) {
            MotionEquation e;
            e.source = source, e.value = value;
            for (int k = 0; k < 3; ++k)
                if (std::abs(d[k]) > 1e-15) e.terms.emplace_back(6 * std::int64_t{node} + k, d[k]);
            structure_.equations.push_back(std::move(e));
        }
    }

    // Forces and moments at the shells' nodes as forces at the solid's: the same sum, the same moment about the node.
    [[nodiscard]] Eigen::VectorXd gone_over(const Eigen::VectorXd& applied) const {
        Eigen::VectorXd out = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(6 * structure_.nodes.size()));
        for (std::size_t k = 0; k < stands_for_.size(); ++k) {
            const Vec3 force = applied.segment<3>(static_cast<Eigen::Index>(6 * k));
            Vec3 moment = applied.segment<3>(static_cast<Eigen::Index>(6 * k) + 3);
            if (force.isZero(0) && moment.isZero(0)) continue;
            const Vec3& at = built_.structure.nodes[k];
            Vec3 centre = Vec3::Zero();
            for (const auto& [n, w] : stands_for_[k]) centre += w * structure_.nodes[ix(n)];
            Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
            for (const auto& [n, w] : stands_for_[k]) {
                const Vec3 r = structure_.nodes[ix(n)] - centre;
                spread += w * (r.squaredNorm() * Eigen::Matrix3d::Identity() - r * r.transpose());
            }
            moment -= (centre - at).cross(force);
            const bool turns = spread.determinant() > 1e-9 * std::pow(spread.trace(), 3);
            const Vec3 turn = turns ? Vec3(spread.inverse() * moment) : Vec3(Vec3::Zero());
            for (const auto& [n, w] : stands_for_[k]) out.segment<3>(Eigen::Index{6} * n) += w * (force + turn.cross(structure_.nodes[ix(n)] - centre));
        }
        return out;
    }

    void solve_all() {
        const Equations equations(structure_, observer_);
        if (!equations.free_motions().empty()) not_for("its supports leave the solid free to move");
        if (!equations.conflicts().empty()) not_for("its supports ask for different movements of one node of the solid");
        out_.unknowns = equations.unknowns();
        std::vector<StructureLoads> loads(solution_.cases.size());
        for (std::size_t c = 0; c < loads.size(); ++c) loads[c].forces = gone_over(solution_.cases[c].applied);
        const auto states = equations.solve(loads);
        for (std::size_t c = 0; c < states.size(); ++c) compare(solution_.cases[c], states[c]);
    }

    // How the linear field nearest to values at the nodes that stand for one of the shells' follows from these, at a point beside it. At a border they all
    // lie to one side, so that their mean would be that of a place within.
    [[nodiscard]] std::vector<std::pair<std::int32_t, double>> field_at(std::size_t node, const Vec3& point) const {
        const auto& list = stands_for_[node];
        double size = 1e-300;
        for (const auto& [n, w] : list) size = std::max(size, (structure_.nodes[ix(n)] - point).norm());
        const auto row_of = [&](std::int32_t n) {
            Eigen::Vector4d row;
            row << 1, (structure_.nodes[ix(n)] - point) / size;
            return row;
        };
        Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
        for (const auto& [n, w] : list) normal += w * row_of(n) * row_of(n).transpose();
        constexpr double flat = 1e-10;  // where the nodes lie in a plane or on a line, the field is even across it
        normal.diagonal().tail<3>().array() += flat;
        const Eigen::Vector4d first = normal.ldlt().solve(Eigen::Vector4d::UnitX());
        std::vector<std::pair<std::int32_t, double>> out;
        for (const auto& [n, w] : list) out.emplace_back(n, w * first.dot(row_of(n)));
        return out;
    }

    [[nodiscard]] Vec3 moved(const StructureState& s, std::size_t node) const {
        Vec3 out = Vec3::Zero();
        for (const auto& [n, w] : field_at(node, built_.structure.nodes[node])) out += w * s.movement.segment<3>(Eigen::Index{6} * n);
        return out;
    }

    // At both skins over a node of one sheet alone.
    [[nodiscard]] double skin_stress(const std::vector<Stress>& stress, std::size_t node, const CaseResult& c) const {
        double worst = 0;
        for (std::size_t i = 0; i < built_.structure.shells.size(); ++i) {
            const ShellPart& p = built_.structure.shells[i];
            if (std::find(p.nodes.begin(), p.nodes.end(), static_cast<std::int32_t>(node)) == p.nodes.end()) continue;
            for (const double side : {-1.0, 1.0}) {
                Stress at{};
                const Vec3 skin = built_.structure.nodes[node] + (p.offset + side * 0.5 * p.thickness) * c.shells[i].normal;
                for (const auto& [n, w] : field_at(node, skin))
                    for (std::size_t k = 0; k < 6; ++k) at[k] += w * stress[ix(n)][k];
                worst = std::max(worst, von_mises(at));
            }
            break;
        }
        return worst;
    }

    // The node within a sheet at which its stress is largest, away from what holds and what pushes at edges and points: there stress depends on how that is
    // done.
    [[nodiscard]] std::size_t place_of_stress(const CaseResult& c) const {
        const auto& nodes = built_.structure.nodes;
        constexpr double many = 0.25;  // of the nodes: loads on more of them are spread
        std::vector<std::size_t> held, pushed;
        for (std::size_t n = 0; n < nodes.size(); ++n) {
            const auto at = static_cast<Eigen::Index>(6 * n);
            if (!c.reaction.segment<6>(at).isZero(1e-9 * c.reaction.lpNorm<Eigen::Infinity>())) held.push_back(n);
            if (!c.applied.segment<6>(at).isZero(0)) pushed.push_back(n);
        }
        if (static_cast<double>(pushed.size()) < many * static_cast<double>(nodes.size())) held.insert(held.end(), pushed.begin(), pushed.end());
        double thick = 0;
        std::vector<std::int32_t> group(nodes.size(), -1);
        std::vector<char> several(nodes.size(), 0);
        for (const ShellPart& p : built_.structure.shells) {
            thick = std::max(thick, p.thickness);
            for (int k = 0; k < p.count(); ++k) {
                std::int32_t& g = group[ix(p.nodes[ix(k)])];
                if (g >= 0 && g != p.group) several[ix(p.nodes[ix(k)])] = 1;
                g = p.group;
            }
        }
        constexpr double clear = 3;                      // thicknesses: the effect of how forces come in has died out by then (Saint-Venant)
        const double away = clear * thick * (1 - 1e-6);  // a row of nodes just so far away is far enough, however it is rounded
        std::size_t best = 0;
        double most_there = -1;
        for (std::size_t n = 0; n < nodes.size() && n < c.node_von_mises.size(); ++n) {
            const double v = c.node_von_mises[n][2];
            if (std::isnan(v) || v <= most_there || several[n] || built_.peaks.contains(static_cast<std::int32_t>(n))) continue;
            if (std::any_of(held.begin(), held.end(), [&](std::size_t h) { return (nodes[h] - nodes[n]).norm() < away; })) continue;
            most_there = v, best = n;
        }
        return best;
    }

    void compare(const CaseResult& c, const StructureState& s) {
        const auto row = [&](const std::string& what, const char* unit, double model, double solid) {
            out_.rows.push_back({what, c.name, unit, model, solid});
        };
        double most = 0;
        for (std::size_t k = 0; k < stands_for_.size(); ++k) most = std::max(most, moved(s, k).norm());
        row("largest displacement", "mm", c.max_displacement, most);
        row("strain energy", "N mm", c.energy, s.energy);
        std::vector<Stress> stress(structure_.nodes.size(), Stress{});
        std::vector<double> count(structure_.nodes.size(), 0.0);
        for (std::size_t i = 0; i < structure_.solids.size(); ++i)
            for (std::size_t k = 0; k < 8; ++k) {
                const std::size_t n = ix(structure_.solids[i].nodes[k]);
                for (std::size_t j = 0; j < 6; ++j) stress[n][j] += s.solids[i].corner[k][j];
                count[n] += 1;
            }
        for (std::size_t n = 0; n < stress.size(); ++n)
            for (double& v : stress[n]) v /= std::max(count[n], 1.0);
        const std::size_t k = place_of_stress(c);
        const Vec3 p = built_.structure.nodes[k] + picker_.model().shift;
        row(fmt::format("von Mises at ({:.4g}, {:.4g}, {:.4g})", p.x(), p.y(), p.z()), "MPa", c.node_von_mises[k][2], skin_stress(stress, k, c));
        compare_probes(c, s);
    }

    void compare_probes(const CaseResult& c, const StructureState& s) {
        for (const ProbeRule& r : options_.probes) {
            if (r.what != ProbeRule::What::displacement || (!r.load_case.empty() && r.load_case != c.name)) continue;
            const auto nodes = picker_.nodes(r.of);
            const LocalFrame frame = picker_.frame(r.frame);
            double shells = 0, solid = 0;
            for (const std::int32_t n : nodes) {
                const auto value = [&](const Vec3& v) { return r.axis == 3 ? v.norm() : frame.axes(built_.structure.nodes[ix(n)]).col(r.axis).dot(v); };
                shells += value(c.movement.segment<3>(Eigen::Index{6} * n)), solid += value(moved(s, ix(n)));
            }
            const auto count = static_cast<double>(nodes.size());
            if (count > 0) out_.rows.push_back({fmt::format("{}: {}, mean", r.name, r.of_text), c.name, "mm", shells / count, solid / count});
        }
    }

    const Assembly& solids_;
    const SolveOptions& options_;
    const Solution& solution_;
    const Observer& observer_;
    Picker picker_;
    Built built_;
    Structure structure_;
    std::vector<Foot> feet_;
    std::vector<std::vector<std::pair<std::int32_t, double>>> stands_for_;
    SolidReference out_;
};

}  // namespace

SolidReference solid_reference(const Assembly& solids, const Model& model, const Mesh& mesh, const SolveOptions& options, const JoinOptions& names,
                               const Solution& solution, const Observer& observer) {
    return Referring(solids, model, mesh, options, names, solution, observer).run();
}

}  // namespace halvo
