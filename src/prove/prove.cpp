#include <halvo/prove.hpp>

#include "body/contacts.hpp"
#include "body/fasteners.hpp"
#include "core/groups.hpp"
#include "core/keys.hpp"
#include "geom/facet_tree.hpp"
#include "geom/outline.hpp"
#include "model/arrangement.hpp"
#include "model/sheet_values.hpp"
#include "model/volumes.hpp"
#include "prove/mesh_mass.hpp"
#include "prove/proof_findings.hpp"
#include "prove/skin_cover.hpp"
#include "prove/stray_links.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr double suspect = 0.05;         // of the thickness; more is looked into
constexpr double most_unmeshed = 0.1;    // of a sheet's area, by which its elements may miss it
constexpr double least_unmeshed = 1e-4;  // of the model's area; less is not worth a word

class Prover {
public:
    Prover(const Assembly& solids, const Model& model, const Mesh& mesh, const ProveOptions& options, double reach, const Observer& observer)
        : solids_(solids), model_(model), mesh_(mesh), options_(options), reach_(reach), observer_(observer) {}

    Proof run() {
        proof_.bodies.resize(solids_.bodies.size());
        proof_.parts = connected_parts(model_).count;
        observer_.tell("prove", 0.05);
        volumes();
        masses();
        centres();
        observer_.tell("prove", 0.2);
        coverage();
        thickness();
        observer_.tell("prove", 0.5);
        contacts();
        bounds();
        add_proof_findings(proof_, solids_, model_, reach_, held_, doubled_);
        // A strict plan wants the mesh within its limits, too.
        if (options_.strict)
            for (const Finding& f : mesh_.findings)
                if (f.kind == FindingKind::mesh_outside_its_limits) proof_.outside.push_back("mesh: " + f.about), proof_.within_bounds = false;
        observer_.tell("prove", 1);
        return std::move(proof_);
    }

private:
    static double overlap(double a0, double a1, double b0, double b1) { return std::max(0.0, std::min(a1, b1) - std::max(a0, b0)); }

    void volumes() {
        for (std::size_t i = 0; i < solids_.bodies.size(); ++i)
            if (solids_.bodies[i].closed) proof_.bodies[i].solid = solids_.bodies[i].mass.volume;  // surfaces have none
        std::vector<double> gross(solids_.bodies.size(), 0.0);
        for (const Sheet& s : model_.sheets) {
            if (!s.body) continue;
            const auto b = s.body.index();
            // What a sheet stands for is its wall; lying at one side of it changes only what the mesh holds.
            proof_.bodies[b].idealized += wall_depth(model_, s) * (s.own_area() / s.growth + s.trimmed_area);
            gross[b] += s.thickness.mean * s.area();
            for (const BodyShare& k : s.shares) {
                proof_.bodies[b].idealized -= k.volume, gross[b] -= k.volume;
                proof_.bodies[k.body.index()].idealized += k.volume, gross[k.body.index()] += k.volume;
            }
        }
        // Inside one body the sheets run to their common seam, so that a tee holds half the junction's material twice and a cross all of it.
        const std::vector<double> doubled = doubled_at_seams(model_, solids_.bodies.size());
        for (std::size_t b = 0; b < doubled.size(); ++b) proof_.bodies[b].idealized -= doubled[b];
        for (const Member& m : model_.members) {
            if (!m.body) continue;
            const auto b = m.body.index();
            const double area = model_.sections[m.section.index()].area;
            double own = 0, all = 0;
            for (const EdgeUse& u : m.chain) {
                const Edge& e = model_.edges[u.edge.index()];
                const double p = m.axis.parameter(e.curve.start()), q = m.axis.parameter(e.curve.end());
                own += m.axis.closed(10 * model_.tolerance.point) ? e.curve.length() : overlap(std::min(p, q), std::max(p, q), 0, m.own_length());
                all += e.curve.length();
            }
            proof_.bodies[b].idealized += area * (own + m.trimmed);
            gross[b] += area * all;
        }
        for (const Coupling& c : model_.couplings) proof_.bodies[c.body.index()].idealized += c.volume, gross[c.body.index()] += c.volume;
        for (const RootMaterial& r : model_.roots) {
            BodyProof& p = proof_.bodies[r.body.index()];
            (r.volume < 0 ? p.filled : p.left_out) += std::abs(r.volume);
        }
        double solid = 0, idealized = 0;
        for (std::size_t b = 0; b < gross.size(); ++b) {
            BodyProof& p = proof_.bodies[b];
            p.bridged = gross[b] - p.idealized;
            if (p.idealized <= 0 || p.solid <= 0) continue;
            p.error = p.idealized / p.solid - 1;
            solid += p.solid, idealized += p.idealized;
            if (std::abs(p.error) > std::abs(proof_.worst_body_error)) proof_.worst_body_error = p.error, proof_.worst_body = BodyId(b);
        }
        proof_.volume_error = solid > 0 ? idealized / solid - 1 : 0;
    }

    // Bodies of which one has material that the sheets of another stand for are weighed together.
    [[nodiscard]] Groups weighed_together() const {
        Groups groups(solids_.bodies.size());
        for (const Sheet& s : model_.sheets)
            for (const BodyShare& k : s.shares)
                if (s.body) groups.tie(s.body.value, k.body.value);
        return groups;
    }

    void masses() {
        if (mesh_.elements.empty()) return;
        const auto mass = mesh_masses(solids_, model_, mesh_);
        doubled_.assign(mass.size(), 0.0);
        Groups groups = weighed_together();
        std::map<int, double> net, solid;
        double raw_all = 0, solid_all = 0;
        for (std::size_t b = 0; b < mass.size(); ++b) {
            const int root = groups.root(static_cast<int>(b));
            net[root] += mass[b].net(), solid[root] += proof_.bodies[b].solid;
        }
        for (std::size_t b = 0; b < mass.size(); ++b) {
            BodyProof& p = proof_.bodies[b];
            const int root = groups.root(static_cast<int>(b));
            p.meshed = mass[b].raw, p.mesh_net = mass[b].net(), doubled_[b] = mass[b].doubled;
            if (p.solid <= 0) continue;
            if (net[root] <= 0) {
                p.error = p.mesh_error = -1;
                continue;
            }
            p.mesh_error = net[root] / solid[root] - 1;
            raw_all += p.meshed, solid_all += p.solid;
            if (std::abs(p.mesh_error) > std::abs(proof_.worst_mesh_error)) proof_.worst_mesh_error = p.mesh_error, proof_.worst_mesh_body = BodyId(b);
        }
        proof_.mass_error = solid_all > 0 ? raw_all / solid_all - 1 : 0;
    }

    void centres() {
        Vec3 solid = Vec3::Zero(), ideal = Vec3::Zero();
        double vs = 0, vi = 0;
        for (std::size_t b = 0; b < solids_.bodies.size(); ++b)
            if (proof_.bodies[b].idealized > 0 && proof_.bodies[b].solid > 0)
                solid += proof_.bodies[b].solid * solids_.bodies[b].mass.centre, vs += proof_.bodies[b].solid;
        for (const Element& e : mesh_.elements) {
            if (e.kind == ElementKind::rigid || !e.body || !solids_.bodies[e.body.index()].closed) continue;
            const auto at = [&](std::size_t k) -> const Vec3& { return mesh_.nodes[static_cast<std::size_t>(e.nodes[k])]; };
            if (e.kind == ElementKind::beam) {
                const double v = (at(1) - at(0)).norm() * model_.sections[e.section.index()].area;
                ideal += v * (0.5 * (at(0) + at(1)) + e.section_offset), vi += v;
                continue;
            }
            for (std::size_t k = 1; k + 1 < e.count; ++k) {
                const double v = 0.5 * (at(k) - at(0)).cross(at(k + 1) - at(0)).norm() * e.thickness;
                const Vec3 normal = (at(1) - at(0)).cross(at(2) - at(0)).normalized();
                ideal += v * ((at(0) + at(k) + at(k + 1)) / 3 + e.offset * normal), vi += v;
            }
        }
        for (const Coupling& c : model_.couplings) ideal += c.volume * model_.vertices[c.centre.index()].point, vi += c.volume;
        if (vs > 0 && vi > 0) proof_.centroid_error = (solid / vs - ideal / vi).norm();
    }

    // A body that was to become sheets: halve found skin on it that no sheet stands for, or the plan refused its walls.
    [[nodiscard]] bool wants_sheets(const Body& body) const {
        constexpr FindingKind kind = FindingKind::skin_without_sheet;
        const std::string key = own_key(make_key("finding", kind_name(kind), {}), body.key);
        return std::any_of(model_.findings.begin(), model_.findings.end(), [&](const Finding& f) { return f.kind == kind && f.key == key; }) ||
               std::any_of(model_.ledger.begin(), model_.ledger.end(),
                           [&](const LedgerEntry& e) { return e.kind == EntryKind::wall && e.state == EntryState::refused && e.body == body.label; });
    }

    // Skin of bodies that have sheets or a member, or should have; members account for all of theirs.
    void coverage() {
        const std::size_t n = solids_.bodies.size();
        std::vector<bool> has(n, false), asked(n, false);
        double members = 0;
        for (const Sheet& s : model_.sheets)
            if (s.body) has[s.body.index()] = true;
        std::set<BodyId> with_member;
        for (const Member& m : model_.members)
            if (m.body && with_member.insert(m.body).second) members += solids_.bodies[m.body.index()].mass.area;
        for (std::size_t b = 0; b < n; ++b) {
            asked[b] = has[b];
            if (!has[b] && !with_member.count(BodyId(b)) && wants_sheets(solids_.bodies[b])) asked[b] = true, empty_.push_back(b);
        }
        SkinCover cover = cover_skin(solids_, model_, asked);
        proof_.coverage = cover.all + members > 0 ? (cover.covered + members) / (cover.all + members) : 0;
        proof_.uncovered = std::move(cover.uncovered);
    }

    struct Sample {
        double value;
        Vec3 place;
    };

    // Sorts the samples.
    static Spread spread_of(std::vector<Sample>& all) {
        Spread s;
        s.count = static_cast<int>(all.size());
        if (all.empty()) return s;
        std::stable_sort(all.begin(), all.end(), [](const Sample& a, const Sample& b) { return a.value < b.value; });
        for (const Sample& k : all) s.mean += k.value / static_cast<double>(all.size());
        s.high = all[static_cast<std::size_t>(0.95 * static_cast<double>(all.size() - 1))].value;
        s.worst = all.back().value, s.place = all.back().place;
        return s;
    }

    // Do the skins above or below a point of a sheet stand on a rib that is narrower than both are apart? Its top may be of one face with a
    // side of the wall; a ray from its foot tells the rib's height, not the wall's thickness.
    static bool up_a_rib(const Body& body, const SkinPoint& on, double above, double below) {
        const double span = above + below;
        const Frame f = Frame::with_z(on.point, on.normal);
        for (const double at : {above - 0.05 * span, 0.05 * span - below})
            for (int k = 0; k < 4; ++k) {
                const Vec3 from = on.point + at * on.normal, way = std::cos(k * pi / 4) * f.x + std::sin(k * pi / 4) * f.y;
                const auto one = body.tree->shoot(from, way, 0), other = body.tree->shoot(from, -way, 0);
                if (one && other && one->distance + other->distance < span) return true;
            }
        return false;
    }

    // How far the body of a skin merged into a sheet goes on from there; a gap before it is none of the double wall.
    double merged_beyond(const Sheet& s, const Vec3& from, const Vec3& way) const {
        const double step = 1e-4 * s.thickness.max;
        for (const BodyShare& share : s.shares) {
            const Body& other = solids_.bodies[share.body.index()];
            Vec3 start = from + step * way;
            if (!other.tree->encloses(start)) {
                const auto entry = other.tree->shoot(start, way, 0);
                if (!entry || entry->distance > 0.5 * s.thickness.max) continue;
                start += (entry->distance + step) * way;
                if (!other.tree->encloses(start)) continue;
            }
            if (const auto exit = other.tree->shoot(start, way, 0)) return exit->distance + step;
        }
        return 0;
    }

    // Element thickness and middle against a ray through the solid, where the ray leaves through the sheet's own two sides.
    void thickness() {
        std::vector<Sample> errors, deviations;
        for (const Element& e : mesh_.elements) {
            if (e.kind != ElementKind::shell || !e.body) continue;
            const Sheet& s = model_.sheets[e.sheet.index()];
            const Body& body = solids_.bodies[e.body.index()];
            Vec3 c = Vec3::Zero();
            for (std::size_t k = 0; k < e.count; ++k) c += mesh_.nodes[static_cast<std::size_t>(e.nodes[k])] / e.count;
            // Elements of curved sheets are flat; the ray starts where the sheet itself is.
            const SkinPoint on = s.chart.on(c);
            const auto up = body.tree->shoot(on.point, on.normal, 0), down = body.tree->shoot(on.point, -on.normal, 0);
            if (!up || !down) continue;
            const auto among = [&](const std::vector<int>& faces, int facet) {
                return std::find(faces.begin(), faces.end(), body.facets[static_cast<std::size_t>(facet)].face) != faces.end();
            };
            if (!among(s.top_faces, up->facet) || !among(s.bottom_faces, down->facet)) continue;
            // The facets found the faces; their exact surfaces say how far they are.
            const auto exact = [&](const RayHit& hit, double sign) {
                const SkinPoint p = body.on_skin(static_cast<std::size_t>(hit.facet), on.point + sign * hit.distance * on.normal);
                return (p.point - on.point).dot(p.normal) / (sign * on.normal.dot(p.normal));
            };
            double above = exact(*up, 1), below = exact(*down, -1);
            above += merged_beyond(s, on.point + above * on.normal, on.normal), below += merged_beyond(s, on.point - below * on.normal, -on.normal);
            if (std::abs(e.thickness / (above + below) - 1) > suspect && up_a_rib(body, on, above, below)) continue;
            errors.push_back({std::abs(e.thickness / (above + below) - 1), on.point});
            deviations.push_back({std::abs(0.5 * (above - below) - e.offset), on.point});
        }
        proof_.thickness = spread_of(errors), proof_.deviation = spread_of(deviations);
        if (errors.empty()) return;
        const auto at = static_cast<std::size_t>(0.99 * static_cast<double>(errors.size() - 1));
        proof_.thickness_error = errors[at].value;
    }

    // Vertices, edges and links that two bodies hold in common, by pair of bodies.
    struct Shared {
        std::vector<Vec3> points;
        std::vector<const Curve*> curves;
    };

    std::map<BodyPair, Shared> shared() const {
        std::vector<std::set<BodyId>> at_vertex(model_.vertices.size()), at_edge(model_.edges.size());
        const auto use_edge = [&](EdgeId e, BodyId body) {
            at_edge[e.index()].insert(body);
            for (VertexId v : model_.edges[e.index()].vertices) at_vertex[v.index()].insert(body);
        };
        for (const Sheet& s : model_.sheets)
            for (const Region& r : s.regions) {
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) use_edge(u.edge, s.body);
                for (EdgeId e : r.embedded) use_edge(e, s.body);
                for (VertexId v : r.points) at_vertex[v.index()].insert(s.body);
            }
        for (const Member& m : model_.members)
            for (const EdgeUse& u : m.chain) use_edge(u.edge, m.body);
        for (const Coupling& c : model_.couplings) {
            for (EdgeId e : c.edges) at_edge[e.index()].insert(c.body);
            for (VertexId v : c.vertices) at_vertex[v.index()].insert(c.body);
            at_vertex[c.centre.index()].insert(c.body);
        }
        for (const Sheet& s : model_.sheets)
            for (const BodyShare& k : s.shares)
                for (const Region& r : s.regions)
                    for (const auto& loop : r.loops)
                        for (const EdgeUse& u : loop) use_edge(u.edge, k.body);
        std::map<BodyPair, Shared> out;
        const auto pairs = [&](const std::set<BodyId>& a, const std::set<BodyId>& b, auto&& add) {
            for (const BodyId x : a)
                for (const BodyId y : b)
                    if (x != y) add(out[std::minmax(x, y)]);
        };
        for (std::size_t v = 0; v < at_vertex.size(); ++v)
            if (at_vertex[v].size() > 1) pairs(at_vertex[v], at_vertex[v], [&](Shared& s) { s.points.push_back(model_.vertices[v].point); });
        for (std::size_t e = 0; e < at_edge.size(); ++e)
            if (at_edge[e].size() > 1) pairs(at_edge[e], at_edge[e], [&](Shared& s) { s.curves.push_back(&model_.edges[e].curve); });
        for (const Link& l : model_.links)
            pairs(at_vertex[l.a.index()], at_vertex[l.b.index()], [&](Shared& s) {
                s.points.push_back(model_.vertices[l.a.index()].point);
                s.points.push_back(model_.vertices[l.b.index()].point);
            });
        for (const Tie& t : model_.ties)
            for (EdgeId e : t.edges)
                pairs(at_edge[e.index()], {model_.sheets[t.onto.index()].body}, [&](Shared& s) { s.curves.push_back(&model_.edges[e.index()].curve); });
        for (const EdgeLink& l : model_.edge_links)
            pairs(at_edge[l.a.index()], at_edge[l.b.index()], [&](Shared& s) {
                s.curves.push_back(&model_.edges[l.a.index()].curve);
                s.curves.push_back(&model_.edges[l.b.index()].curve);
            });
        return out;
    }

    // Is a contact one of two solid regions or blocks that are held to each other?
    [[nodiscard]] bool regions_meet(const Contact& c) const {
        const auto on = [](const Coupling& k, int face) { return k.whole_body() || std::find(k.faces.begin(), k.faces.end(), face) != k.faces.end(); };
        for (const Coupling& k : model_.couplings)
            for (const Coupling& m : model_.couplings) {
                if (k.body != c.a || m.body != c.b) continue;
                const auto holds = [](const Coupling& x, const Coupling& y) {
                    return std::find(x.vertices.begin(), x.vertices.end(), y.centre) != x.vertices.end();
                };
                if (!holds(k, m) && !holds(m, k)) continue;
                if (std::any_of(c.points.begin(), c.points.end(), [&](const ContactPoint& q) { return on(k, q.face_a) && on(m, q.face_b); })) return true;
            }
        return false;
    }

    // No longer than the walls are thick: a tip that just reaches what it points at, two copes side by side on a chord.
    static bool touches_in_a_point(const Contact& c, double near) {
        Box3 box;
        for (const ContactPoint& q : c.points) box.extend(q.place);
        return box.diagonal().norm() <= near;
    }

    // Is either body joined to one and the same other there? What touches in a point needs no joint of its own then.
    [[nodiscard]] bool meet_at_third(const std::map<BodyPair, Shared>& joints, const Contact& c, double near) const {
        const auto joined_here = [&](BodyId a, BodyId b) {
            const auto it = joints.find(std::minmax(a, b));
            if (it == joints.end()) return false;
            const auto close = [&](const Vec3& v) { return (v - c.centre).norm() <= near; };
            return std::any_of(it->second.points.begin(), it->second.points.end(), close) ||
                   std::any_of(it->second.curves.begin(), it->second.curves.end(), [&](const Curve* k) { return close(k->point(k->nearest(c.centre))); });
        };
        for (std::size_t i = 0; i < solids_.bodies.size(); ++i)
            if (const BodyId third(i); third != c.a && third != c.b && joined_here(c.a, third) && joined_here(c.b, third)) return true;
        return false;
    }

    // Bodies that a fastener holds, by the solids, and that it is joined to in the model; they need no joint where it presses them together.
    [[nodiscard]] std::set<BodyPair> held_by_fasteners(const std::map<BodyPair, Shared>& joints) const {
        std::set<BodyPair> out;
        for (const Fastener& f : find_fasteners(solids_)) {
            std::vector<BodyId> group{f.body};
            const auto add = [&](BodyId b) {
                if (joints.contains(std::minmax(f.body, b))) group.push_back(b);
            };
            for (const Fastener::Grip& g : f.grips) add(g.body);
            for (const BodyId r : f.rings) add(r);
            for (const BodyId a : group)
                for (const BodyId b : group)
                    if (a < b) out.emplace(a, b);
        }
        return out;
    }

    void contacts() {
        std::vector<double> across(solids_.bodies.size(), 0.0);
        std::map<BodyPair, std::vector<const Sheet*>> in_one;  // bodies that one sheet stands for
        for (const Sheet& s : model_.sheets) {
            if (!s.body) continue;
            std::set<BodyId> bodies{s.body};
            for (const BodyShare& k : s.shares) bodies.insert(k.body);
            for (const BodyId a : bodies) {
                across[a.index()] = std::max(across[a.index()], s.thickness.max);
                for (const BodyId b : bodies)
                    if (a < b) in_one[{a, b}].push_back(&s);
            }
        }
        const std::vector<double> thick = across;  // of bodies that have sheets
        for (const Member& m : model_.members)
            if (m.body) across[m.body.index()] = model_.sections[m.section.index()].depth;
        for (const Coupling& c : model_.couplings)
            if (c.whole_body()) across[c.body.index()] = solids_.bodies[c.body.index()].box.sizes().norm();
        const auto joints = shared();
        held_ = held_by_fasteners(joints);
        for (const Contact& c : find_contacts(solids_, reach_, observer_, "prove")) {
            const double near = across[c.a.index()] + across[c.b.index()] + reach_;
            const double walls = thick[c.a.index()] > 0 && thick[c.b.index()] > 0 ? thick[c.a.index()] + thick[c.b.index()] + reach_ : 0;
            // A body without any sheet or member is named as such already.
            if (across[c.a.index()] == 0 || across[c.b.index()] == 0) continue;
            ContactProof p{c.a, c.b, c.centre, std::max(0.0, c.gap), false};
            const auto it = joints.find({c.a, c.b});
            if (it != joints.end())
                for (const ContactPoint& q : c.points) {
                    const auto close = [&](const Vec3& v) { return (v - q.place).norm() <= near; };
                    p.joined =
                        std::any_of(it->second.points.begin(), it->second.points.end(), close) ||
                        std::any_of(it->second.curves.begin(), it->second.curves.end(), [&](const Curve* k) { return close(k->point(k->nearest(q.place))); });
                    if (p.joined) break;
                }
            if (const auto one = in_one.find({c.a, c.b}); !p.joined && one != in_one.end())
                p.joined = std::any_of(one->second.begin(), one->second.end(), [&](const Sheet* s) {
                    return std::any_of(c.points.begin(), c.points.end(), [&](const ContactPoint& q) {
                        const Vec2 at = s->chart.local2(q.place);
                        return std::abs(s->chart.height(q.place)) <= near && (inside(s->own_outline, at) || border_distance(s->own_outline, at) <= near);
                    });
                });
            p.joined = p.joined || held_.contains({c.a, c.b}) || regions_meet(c) || (touches_in_a_point(c, walls) && meet_at_third(joints, c, walls));
            proof_.contacts.push_back(p);
        }
    }

    void bounds() {
        for (std::size_t b = 0; b < proof_.bodies.size(); ++b) {
            const BodyProof& p = proof_.bodies[b];
            if (p.idealized <= 0 || p.solid <= 0) continue;
            const double error = (p.idealized + p.left_out - p.filled) / p.solid - 1;
            if (std::abs(error) > options_.volume)
                proof_.outside.push_back(fmt::format("{}: volume error {:+.2f} %{}{} (bound {:.2f} %)", solids_.bodies[b].label, 100 * error,
                                                     p.left_out > 0 ? " with the fillets left out" : "", p.filled > 0 ? " without the voids in walls" : "",
                                                     100 * options_.volume));
        }
        mass_bounds();
        for (const ContactProof& c : proof_.contacts)
            if (!c.joined) {
                const Vec3 at = c.place + solids_.shift;
                proof_.outside.push_back(fmt::format("{} and {}: contact without a joint at ({:.1f}, {:.1f}, {:.1f}), gap {:.2f} mm",
                                                     solids_.bodies[c.a.index()].label, solids_.bodies[c.b.index()].label, at.x(), at.y(), at.z(), c.gap));
            }
        for (std::size_t b : empty_) proof_.outside.push_back(fmt::format("{}: it has walls, but no sheet stands for any of them", solids_.bodies[b].label));
        if (model_.sheets.empty() && model_.members.empty()) proof_.outside.push_back("no wall and no member was found; the findings say why");
        const auto hollow =
            std::count_if(mesh_.elements.begin(), mesh_.elements.end(), [](const Element& e) { return e.kind == ElementKind::shell && !(e.thickness > 0); });
        if (hollow > 0) proof_.outside.push_back(fmt::format("{} shell element(s) have no thickness", hollow));
        loose_bodies();
        mesh_against_model();
        links_to_the_nearest();
        joints_are_there();
        proof_.within_bounds = proof_.outside.empty();
    }

    // What the mesh holds of each body, and bodies that it holds nothing of.
    void mass_bounds() {
        if (mesh_.elements.empty()) return;
        // Round walls at a side that the plan asks for weigh more or less by its wish: said, but no error.
        std::set<BodyId> by_plan;
        for (const Sheet& s : model_.sheets)
            if (s.placed && s.reference != Reference::middle && !s.chart.flat()) by_plan.insert(s.body);
        for (std::size_t b = 0; b < proof_.bodies.size(); ++b) {
            const BodyProof& p = proof_.bodies[b];
            if (p.solid <= 0) continue;
            if (p.left_out > 0.999 * p.solid) continue;  // by the plan
            if (p.mesh_error == -1) {
                proof_.outside.push_back(fmt::format("{}: nothing in the mesh stands for it (-100 %)", solids_.bodies[b].label));
                continue;
            }
            const double error = p.mesh_error + (p.left_out - p.filled) / p.solid;
            if (std::abs(error) > options_.mesh && !by_plan.count(BodyId(b)))
                proof_.outside.push_back(
                    fmt::format("{}: its mesh holds {:+.2f} % of it (bound {:.2f} %)", solids_.bodies[b].label, 100 * error, 100 * options_.mesh));
        }
    }

    // One solid whose sheets do not hang together is a model that looks joined and is not.
    void loose_bodies() {
        const Parts parts = connected_parts(model_);
        std::vector<std::set<int>> of(solids_.bodies.size());
        for (std::size_t i = 0; i < model_.sheets.size(); ++i)
            if (model_.sheets[i].body) of[model_.sheets[i].body.index()].insert(parts.of_sheet[i]);
        for (std::size_t b = 0; b < of.size(); ++b) {
            if (of[b].size() < 2) continue;
            proof_.split_bodies.push_back(BodyId(b));
            proof_.outside.push_back(fmt::format("{}: one solid, but its sheets fall into {} parts", solids_.bodies[b].label, of[b].size()));
        }
    }

    // Area of the sheet's surface under its elements: their own is less by their chords, a tenth in a bend with one row.
    [[nodiscard]] double on_surface(const Chart& chart, SheetId sheet) const {
        constexpr int n = 6;  // pieces along each side of a triangle
        double sum = 0;
        for (const Element& e : mesh_.elements) {
            if (e.sheet != sheet) continue;
            const auto node = [&](std::size_t k) { return mesh_.nodes[static_cast<std::size_t>(e.nodes[k])]; };
            for (std::size_t k = 2; k < e.count; ++k) {
                const Vec3 a = node(0), u = (node(k - 1) - a) / n, v = (node(k) - a) / n;
                const auto at = [&](int i, int j) { return chart.foot(a + i * u + j * v); };
                for (int i = 0; i < n; ++i)
                    for (int j = 0; i + j < n; ++j) {
                        const Vec3 p = at(i, j), q = at(i + 1, j), r = at(i, j + 1);
                        sum += 0.5 * (q - p).cross(r - p).norm();
                        if (i + j < n - 1) sum += 0.5 * (q - at(i + 1, j + 1)).cross(r - at(i + 1, j + 1)).norm();
                    }
            }
        }
        return sum;
    }

    // A joint that the model lists holds its bodies together in the mesh. Couplings, fasteners and ties are told by other checks.
    void joints_are_there() {
        if (mesh_.elements.empty()) return;
        const auto held = connected_bodies(mesh_);
        Groups one_sheet = weighed_together();
        for (const JointRecord& j : model_.joints) {
            const bool own = j.kind == JointKind::coupling || j.kind == JointKind::fastener || j.kind == JointKind::tie || j.kind == JointKind::point_contact;
            if (own || j.state != EntryState::applied || !j.bodies[0] || !j.bodies[1] || j.bodies[0] == j.bodies[1]) continue;
            if (one_sheet.root(j.bodies[0].value) == one_sheet.root(j.bodies[1].value)) continue;
            if (held.contains(std::minmax(j.bodies[0], j.bodies[1]))) continue;
            proof_.outside.push_back(fmt::format("{}: the joint of {} and {} is listed, but nothing in the mesh holds them together", j.key,
                                                 solids_.bodies[j.bodies[0].index()].label, solids_.bodies[j.bodies[1].index()].label));
        }
    }

    // What is linked is linked to what is nearest on the other side.
    void links_to_the_nearest() {
        const auto stray = stray_links(mesh_);
        if (stray.empty()) return;
        const Element& e = mesh_.elements[static_cast<std::size_t>(stray[0].element)];
        const Vec3 at = mesh_.nodes[static_cast<std::size_t>(e.nodes[0])] + solids_.shift;
        proof_.outside.push_back(fmt::format("{} rigid link(s) go past the nearest node of what they link, the worst by {:.1f} mm at ({:.1f}, {:.1f}, {:.1f})",
                                             stray.size(), stray[0].beyond, at.x(), at.y(), at.z()));
    }

    // The mesh must be of the model: as many parts, and on each sheet about its area (chords of curved sheets are a little short of it).
    void mesh_against_model() {
        if (mesh_.elements.empty()) return;
        if (mesh_.parts != proof_.parts) proof_.outside.push_back(fmt::format("the model is {} part(s), its mesh falls into {}", proof_.parts, mesh_.parts));
        std::vector<double> meshed(model_.sheets.size(), 0.0);
        for (const Element& e : mesh_.elements)
            if (e.sheet)
                for (std::size_t k = 2; k < e.count; ++k) {
                    const Vec3& a = mesh_.nodes[static_cast<std::size_t>(e.nodes[0])];
                    const Vec3 &b = mesh_.nodes[static_cast<std::size_t>(e.nodes[k - 1])], &c = mesh_.nodes[static_cast<std::size_t>(e.nodes[k])];
                    meshed[e.sheet.index()] += 0.5 * (b - a).cross(c - a).norm();
                }
        double all = 0;
        for (const Sheet& s : model_.sheets) all += s.area();
        for (std::size_t i = 0; i < meshed.size(); ++i) {
            const double area = model_.sheets[i].area();
            const auto unlike = [&] { return std::abs(meshed[i] - area) > most_unmeshed * area && std::abs(meshed[i] - area) > least_unmeshed * all; };
            if (!unlike()) continue;
            if (!model_.sheets[i].chart.flat()) meshed[i] = on_surface(model_.sheets[i].chart, SheetId(i));
            if (unlike()) proof_.outside.push_back(fmt::format("{}: its mesh has {:.1f} mm2, the sheet {:.1f} mm2", model_.sheets[i].key, meshed[i], area));
        }
    }

    const Assembly& solids_;
    const Model& model_;
    const Mesh& mesh_;
    ProveOptions options_;
    double reach_;
    const Observer& observer_;
    std::vector<std::size_t> empty_;  // bodies that should have sheets and have none
    Proof proof_;
    std::set<BodyPair> held_;      // bodies, by fasteners
    std::vector<double> doubled_;  // volume of each body that several of its own walls hold in the mesh
};

}  // namespace

Proof prove(const Assembly& solids, const Model& model, const Mesh& mesh, const ProveOptions& options, double reach, const Observer& observer) {
    return Prover(solids, model, mesh, options, reach, observer).run();
}

}  // namespace halvo
