#include <halvo/mend.hpp>

#include "body/face_facets.hpp"
#include "body/loose.hpp"
#include "body/touching_edges.hpp"
#include "core/groups.hpp"
#include "core/index.hpp"
#include "core/parallel.hpp"
#include "geom/box_tree.hpp"
#include "geom/facet_tree.hpp"
#include "mend/cut_back.hpp"
#include "mend/fill.hpp"
#include "mend/merge.hpp"
#include "mend/move_face.hpp"
#include "mend/sew.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double precisions_sewn = 10;  // times the stated precision: how far apart edges are sewn by default
constexpr double proposed_reach = 1;    // mm: gaps up to it are proposed, as the survey calls them near
constexpr double proposed_size = 0.02;  // of a skin's size, at most
constexpr double clear_step = 3;        // between a gap and the next larger one: what lies above is of another kind
constexpr double shape_kept = 1e-6;     // of the volume or area, by which merging may change a body

// Loose surfaces of a file have no names of their own: the reader numbers the groups that touch.
std::string name_of_pool(const std::string& name) {
    constexpr std::string_view loose = "surfaces ";
    return name.rfind(loose, 0) == 0 ? "surfaces" : name;
}

void finish(Body& body) {
    facet_by_thickness(body);
    finish_body(body);
    turn_outward(body);
    body.turned = 0;  // what was turned stands in the ledger
    name_body(body);
}

class Mending {
public:
    Mending(const Assembly& solids, const MendOptions& options, const Observer& observer) : options_(options), observer_(observer) {
        out_.solids = solids;
        for (const Body& b : solids.bodies) next_part_ = std::max(next_part_, b.part + 1);
        limits_.reach = sewing_distance(solids, options), limits_.tol = solids.tolerance.point;
        limits_.keys = &keys_;
        limits_.refuse = {options.refuse.begin(), options.refuse.end()}, limits_.force = {options.force.begin(), options.force.end()};
    }

    Mended run() {
        observer_.tell("mend", 0);
        sew_open();
        observer_.tell("mend", 0.3);
        turn_closed();
        drop_doubled();
        if (options_.merge) merge();
        observer_.tell("mend", 0.8);
        if (options_.overlap != OverlapAs::leave || options_.gaps > 0) settle_neighbours();
        if (out_.reshaped) {
            const Tolerance before = out_.solids.tolerance;
            finish_assembly(out_.solids);
            out_.solids.tolerance = before;
            out_.faces.clear();
        }
        KeySet keys;
        for (Finding& f : out_.findings) f.key = keys.unique(f.key);
        name_what_fits_nothing();
        observer_.tell("mend", 1);
        return std::move(out_);
    }

private:
    [[nodiscard]] std::vector<Body>& bodies() { return out_.solids.bodies; }

    void add(std::vector<LedgerEntry> ledger, std::vector<Finding> findings) {
        for (auto& e : ledger) out_.ledger.push_back(std::move(e));
        for (auto& f : findings) out_.findings.push_back(std::move(f));
    }

    LedgerEntry entry(EntryKind kind, const std::string& wanted, const Body& body, const std::string& about, double value, const Vec3& place) {
        const std::string key = keys_.unique(wanted);
        LedgerEntry e;
        e.key = key, e.stage = "mend", e.kind = kind, e.body = body.label, e.about = body.label + ": " + about, e.value = value, e.place = place;
        e.state = limits_.refuse.count(key) ? EntryState::refused : EntryState::applied;
        return e;
    }

    void stays(const Body& body, const std::string& what, const std::string& why, const Vec3& place, double size) {
        Finding f;
        f.kind = FindingKind::defect_stays, f.body = body.label, f.body_keys[0] = body.key, f.place = place, f.size = size;
        f.about = fmt::format("{}: {}: {}", body.label, what, why);
        f.advice = "mend it in CAD";
        f.key = make_key("finding", what + " " + body.key, {size});
        out_.findings.push_back(std::move(f));
    }

    // Open skins, those of one name together.
    void sew_open() {
        std::map<std::string, std::vector<std::size_t>> pools;
        for (std::size_t b = 0; b < bodies().size(); ++b)
            if (!bodies()[b].closed && !bodies()[b].faceted && !bodies()[b].faces.empty()) pools[name_of_pool(bodies()[b].path)].push_back(b);
        std::set<std::size_t> gone;
        std::vector<Body> come;
        for (const auto& [path, list] : pools) {
            std::vector<const Body*> skins;
            for (std::size_t b : list) skins.push_back(&bodies()[b]);
            const std::string name = name_of_pool(skins[0]->name);
            SewLimits limits = limits_;
            Box3 box;
            for (const Body* b : skins) box.extend(b->box);
            limits.near = std::min(proposed_reach, proposed_size * box.diagonal().norm());
            SewnSkin sewing = sewn(skins, name, limits);
            propose(sewing, name);
            std::vector<Body> closed;
            if (options_.fill && !options_.surfaces_stay) close_pairs(sewing);
            for (std::size_t k = 0; k < sewing.pieces.size(); ++k)
                if (!sewing.pieces[k].faces.empty()) take_piece(sewing, k, list, gone, come, closed);
            add(std::move(sewing.ledger), {});
            settle_voids(std::move(closed), come);
        }
        if (gone.empty()) return;
        std::vector<Body> kept;
        for (std::size_t b = 0; b < bodies().size(); ++b)
            if (!gone.count(b)) kept.push_back(std::move(bodies()[b]));
        for (Body& b : come) b.part = next_part_++, kept.push_back(std::move(b));
        bodies() = std::move(kept);
        out_.changed = out_.reshaped = true;
        label_bodies(bodies());
    }

    // An open skin inside of another one may be its inner side, as of a tube without the rims at its ends: both together are closed, if that
    // makes one sound skin of them.
    void close_pairs(SewnSkin& sewing) {
        std::vector<Box3> boxes;
        for (const Body& p : sewing.pieces) {
            Box3 box;
            if (!p.closed)
                for (const BodyEdge& e : p.edges)
                    if (!e.degenerate) box.extend(e.curve.box());
            boxes.push_back(box);
        }
        const double slack = 2 * limits_.reach;
        for (std::size_t i = 0; i < boxes.size(); ++i)
            for (std::size_t j = 0; j < boxes.size(); ++j) {
                if (i == j || boxes[i].isEmpty() || boxes[j].isEmpty()) continue;
                const Box3 around(boxes[i].min().array() - slack, boxes[i].max().array() + slack);
                if (!around.contains(boxes[j])) continue;
                // The one may look the wrong way in the file: alone it cannot tell.
                std::optional<FilledSkin> fill = closed_pair(sewing, i, j, false);
                if (!fill) fill = closed_pair(sewing, i, j, true);
                if (!fill) continue;
                sewing.pieces[i] = std::move(fill->body), sewing.pieces[j] = Body();
                sewing.unlike[i] = true, boxes[i] = boxes[j] = Box3();
                for (int& piece : sewing.piece_of)
                    if (piece == static_cast<int>(j)) piece = static_cast<int>(i);
                add(std::move(fill->ledger), std::move(fill->findings));
            }
    }

    [[nodiscard]] std::optional<FilledSkin> closed_pair(const SewnSkin& sewing, std::size_t i, std::size_t j, bool turn_inner) {
        Body outer = sewing.pieces[i], inner = sewing.pieces[j];
        for (Body* b : {&outer, &inner}) static_cast<void>(turn_to_agree(*b));
        std::vector<int> origin;
        Body both = pooled({&outer, &inner}, origin);
        static_cast<BodyNames&>(both) = outer;
        both.colour = outer.colour;
        for (std::size_t f = 0; turn_inner && f < origin.size(); ++f)
            if (origin[f] == 1) turn_face(both.faces[f]);
        std::vector<double> early = sewing.early[i];
        early.insert(early.end(), sewing.early[j].begin(), sewing.early[j].end());
        const KeySet before = keys_;
        FilledSkin fill = filled(both, std::max(2 * limits_.reach, 10 * limits_.tol), limits_, early);
        part_touching_edges(fill.body);
        if (fill.changed && fill.body.closed && hangs_together(fill.body) && finished(fill.body)) return fill;
        keys_ = before;
        return std::nullopt;
    }

    [[nodiscard]] static bool hangs_together(const Body& body) {
        Groups groups(body.faces.size());
        for (const auto& u : edge_uses(body))
            for (std::size_t k = 1; k < u.size(); ++k) groups.tie(u[0].face, u[k].face);
        for (std::size_t f = 1; f < body.faces.size(); ++f)
            if (groups.root(static_cast<int>(f)) != groups.root(0)) return false;
        return true;
    }

    // A skin as sewing left it: closed where it can be, or the body that it was.
    void take_piece(SewnSkin& sewing, std::size_t k, const std::vector<std::size_t>& list, std::set<std::size_t>& gone, std::vector<Body>& come,
                    std::vector<Body>& closed) {
        Body piece = std::move(sewing.pieces[k]);
        const std::vector<int> turned = turn_to_agree(piece);
        part_touching_edges(piece);
        // Surfaces that become sheets stay as they are where they would close to a solid.
        if (options_.surfaces_stay && piece.closed) {
            Box3 box;
            for (const Vec3& v : piece.vertices) box.extend(v);
            std::erase_if(sewing.ledger, [&](const LedgerEntry& e) { return box.contains(e.place); });
            return;
        }
        FilledSkin fill;
        if (!piece.closed && options_.fill && !options_.surfaces_stay) {
            fill = filled(piece, std::max(2 * limits_.reach, 10 * limits_.tol), limits_, sewing.early[k]);
            std::optional<Body> done = fill.changed ? finished(fill.body) : std::nullopt;
            if (fill.changed && !done) {
                // What was closed is no sound skin: it stays open.
                for (LedgerEntry& e : fill.ledger)
                    if (e.state == EntryState::applied) e.state = EntryState::proposed;
                stays(bodies()[list[0]], "its openings stay as they are", "the faces that would close them make no sound skin", fill.ledger[0].place,
                      fill.ledger[0].value);
                fill.changed = false;
            }
            if (done) piece = std::move(*done);
        }
        if (!sewing.unlike[k] && turned.empty() && !fill.changed) {
            add(std::move(fill.ledger), std::move(fill.findings));
            return;
        }
        std::vector<std::size_t> sources;
        for (std::size_t i = 0; i < list.size(); ++i)
            if (sewing.piece_of[i] == static_cast<int>(k)) sources.push_back(list[i]);
        try {
            if (!fill.changed) finish(piece);
            if (piece.closed && !(piece.mass.volume > 0)) throw NotLaid("it would hold no volume");
        } catch (const NotLaid& e) {
            stays(bodies()[sources[0]], "its skin stays as it came", e.what(), bodies()[sources[0]].box.center(), bodies()[sources[0]].box.diagonal().norm());
            for (LedgerEntry& l : sewing.ledger)
                if (piece.box.isEmpty() || piece.box.contains(l.place)) l.state = EntryState::proposed;
            return;
        }
        for (int f : turned) {
            const Face& face = piece.faces[ix(f)];
            out_.ledger.push_back(entry(EntryKind::turned_face, make_key("turned", piece.name, {std::sqrt(face.area)}), piece,
                                        fmt::format("a face of {:.1f} mm2 looked inward and is turned", face.area), face.area, piece.box.center()));
            out_.ledger.back().body = piece.name;
        }
        gone.insert(sources.begin(), sources.end());
        add(std::move(fill.ledger), std::move(fill.findings));
        (piece.closed ? closed : come).push_back(std::move(piece));
    }

    // The skin with its facets and figures; nothing where it cannot be laid in its surfaces, or is closed and holds no volume.
    [[nodiscard]] static std::optional<Body> finished(Body body) {
        part_touching_edges(body);
        try {
            finish(body);
        } catch (const NotLaid&) {
            return std::nullopt;
        }
        if (body.closed && !(body.mass.volume > 0)) return std::nullopt;
        return body;
    }

    // A skin inside of another is a void in it.
    void settle_voids(std::vector<Body> closed, std::vector<Body>& come) {
        std::stable_sort(closed.begin(), closed.end(), [](const Body& a, const Body& b) { return a.mass.volume > b.mass.volume * (1 + 1e-9); });
        std::vector<int> host(closed.size(), -1);
        for (std::size_t i = 0; i < closed.size(); ++i)
            for (std::size_t j = 0; j < i; ++j)
                if (host[j] < 0 && closed[j].box.contains(closed[i].box) && closed[j].tree->encloses(closed[i].points[0])) host[i] = static_cast<int>(j);
        for (std::size_t i = 0; i < closed.size(); ++i) {
            if (host[i] >= 0) continue;
            std::vector<const Body*> shells{&closed[i]};
            for (std::size_t k = 0; k < closed.size(); ++k)
                if (host[k] == static_cast<int>(i)) shells.push_back(&closed[k]);
            if (shells.size() == 1) {
                come.push_back(std::move(closed[i]));
                continue;
            }
            std::vector<int> origin;
            Body whole = pooled(shells, origin);
            static_cast<BodyNames&>(whole) = closed[i];
            whole.colour = closed[i].colour;
            for (std::size_t f = 0; f < origin.size(); ++f)
                if (origin[f] > 0) turn_face(whole.faces[f]);
            part_touching_edges(whole);
            finish(whole);
            for (std::size_t s = 1; s < shells.size(); ++s)
                out_.ledger.push_back(entry(EntryKind::void_in_solid, make_key("void", whole.key, {std::cbrt(shells[s]->mass.volume)}), whole,
                                            fmt::format("a skin inside of it is a void of {:.1f} mm3", shells[s]->mass.volume), shells[s]->mass.volume,
                                            shells[s]->mass.centre));
            come.push_back(std::move(whole));
        }
    }

    // Where there is a clear step in the gaps that are left, the distance below it is proposed.
    void propose(const SewnSkin& s, const std::string& name) {
        if (s.gaps.empty()) return;
        std::vector<double> gaps = s.gaps;
        std::sort(gaps.begin(), gaps.end());
        std::size_t n = gaps.size();
        for (std::size_t i = 1; i < gaps.size(); ++i)
            if (gaps[i] > clear_step * gaps[i - 1]) {
                n = i;
                break;
            }
        const double distance =
            std::pow(10, std::floor(std::log10(gaps[n - 1]))) * std::ceil(1.1 * gaps[n - 1] / std::pow(10, std::floor(std::log10(gaps[n - 1]))));
        Finding f;
        f.kind = FindingKind::could_be_sewn, f.body = name, f.place = s.proposed_place, f.size = gaps[n - 1];
        f.about = fmt::format("{}: {} pairs of free edges run together up to {:.3g} mm apart, wider than the {:.3g} mm that are sewn{}", name, n, gaps[n - 1],
                              limits_.reach, n < gaps.size() ? fmt::format("; the next gaps are {:.3g} mm and more", gaps[n]) : std::string());
        f.advice = fmt::format("mend.sew = \"{:.3g} mm\" connects them", distance);
        f.key = make_key("finding", "could be sewn " + name, {gaps[n - 1]});
        out_.findings.push_back(std::move(f));
    }

    // Faces of solids that look inward among others that do not.
    void turn_closed() {
        std::map<int, std::vector<std::size_t>> parts;
        for (std::size_t b = 0; b < bodies().size(); ++b)
            if (bodies()[b].closed && !bodies()[b].faceted) parts[bodies()[b].part].push_back(b);
        for (const auto& [part, list] : parts) {
            Body body = bodies()[list[0]];
            const std::vector<int> turned = turn_to_agree(body);
            if (turned.empty()) continue;
            bool refused = false;
            for (int f : turned) {
                const Face& face = bodies()[list[0]].faces[ix(f)];
                out_.ledger.push_back(entry(EntryKind::turned_face, make_key("turned", body.key, {std::sqrt(face.area)}), body,
                                            fmt::format("a face of {:.1f} mm2 looked inward and is turned", face.area), face.area, body.box.center()));
                refused = refused || out_.ledger.back().state == EntryState::refused;
            }
            if (refused) continue;
            try {
                finish(body);
            } catch (const NotLaid& e) {
                stays(body, "faces that look inward", e.what(), body.box.center(), body.box.diagonal().norm());
                continue;
            }
            replace(list, body);
            out_.reshaped = true;
        }
    }

    // All bodies of one part by what the first of them has become.
    void replace(const std::vector<std::size_t>& list, const Body& made) {
        const Eigen::Isometry3d first = bodies()[list[0]].place;
        for (std::size_t b : list) {
            Body& body = bodies()[b];
            const BodyNames names = body;
            const auto colour = body.colour;
            const Eigen::Isometry3d place = body.place;
            body = b == list[0] ? made : moved(made, place * first.inverse());
            static_cast<BodyNames&>(body) = names;
            body.colour = colour, body.place = place, body.part = next_part_;
        }
        ++next_part_;
        out_.changed = true;
    }

    // Bodies that stand in each other, alike in every corner.
    void drop_doubled() {
        std::vector<Box3> boxes;
        for (const Body& b : bodies()) boxes.push_back(b.box);
        const BoxTree tree(boxes);
        const double slack = 10 * limits_.tol;
        std::vector<bool> gone(bodies().size(), false);
        for (std::size_t i = 0; i < gone.size(); ++i) {
            if (gone[i] || boxes[i].isEmpty()) continue;
            const Body& a = bodies()[i];
            for (int j : tree.touching(boxes[i])) {
                const Body& b = bodies()[ix(j)];
                if (j <= static_cast<int>(i) || gone[ix(j)] || a.closed != b.closed || a.faces.size() != b.faces.size()) continue;
                if ((a.box.min() - b.box.min()).norm() > slack || (a.box.max() - b.box.max()).norm() > slack) continue;
                if (std::abs(a.mass.volume - b.mass.volume) > shape_kept * std::abs(a.mass.volume) ||
                    std::abs(a.mass.area - b.mass.area) > shape_kept * a.mass.area || (a.mass.centre - b.mass.centre).norm() > slack)
                    continue;
                if (!std::all_of(b.vertices.begin(), b.vertices.end(), [&](const Vec3& p) { return a.tree->nearest(p, slack).has_value(); })) continue;
                out_.ledger.push_back(entry(EntryKind::doubled_body, make_key("doubled", b.key, {std::sqrt(b.mass.area)}), b,
                                            fmt::format("stands where {} stands; one stays", a.label), b.mass.volume, b.mass.centre));
                if (out_.ledger.back().state == EntryState::refused) continue;
                gone[ix(j)] = true;
                out_.solids.left_out.push_back({b.number, b.name, b.path, "doubled: stands where " + a.label + " stands", b.box.sizes()});
            }
        }
        if (std::none_of(gone.begin(), gone.end(), [](bool g) { return g; })) return;
        std::vector<Body> kept;
        for (std::size_t b = 0; b < gone.size(); ++b)
            if (!gone[b]) kept.push_back(std::move(bodies()[b]));
        bodies() = std::move(kept);
        out_.changed = out_.reshaped = true;
    }

    void merge() {
        std::map<int, std::vector<std::size_t>> parts;
        for (std::size_t b = 0; b < bodies().size(); ++b)
            if (!bodies()[b].faceted && !bodies()[b].faces.empty()) parts[bodies()[b].part].push_back(b);
        std::vector<std::vector<std::size_t>> lists;
        for (auto& [part, list] : parts) lists.push_back(std::move(list));
        std::vector<MergedPart> done(lists.size());
        constexpr std::size_t portion = 16;  // parts between two looks at whether to stop
        for (std::size_t first = 0; first < lists.size(); first += portion) {
            observer_.tell("mend", 0.4 + 0.4 * static_cast<double>(first) / static_cast<double>(lists.size()));
            parallel_for(std::min(portion, lists.size() - first), [&](std::size_t i) { done[first + i] = merged_part(bodies(), lists[first + i], limits_); });
        }
        out_.faces.assign(bodies().size(), {});
        for (std::size_t i = 0; i < lists.size(); ++i) {
            for (std::size_t b : lists[i]) {
                out_.faces[b] = done[i].faces;
                const Eigen::Isometry3d way = bodies()[b].place * bodies()[lists[i][0]].place.inverse();
                for (LedgerEntry e : done[i].ledger) {
                    if (b != lists[i][0]) e.place = way * e.place;
                    e.key = own_key(e.key, bodies()[b].key), e.body = bodies()[b].label, e.about = bodies()[b].label + ": " + e.about;
                    out_.ledger.push_back(std::move(e));
                }
            }
            if (!done[i].body) continue;
            replace(lists[i], *done[i].body);
        }
    }

    // Bodies that run into each other, and such as stop short of each other: as the plan says.
    void settle_neighbours() {
        std::vector<Box3> boxes;
        for (const Body& b : bodies()) {
            boxes.push_back(b.box);
            if (!b.box.isEmpty()) boxes.back().min().array() -= options_.gaps, boxes.back().max().array() += options_.gaps;
        }
        const BoxTree tree(boxes);
        for (std::size_t i = 0; i < boxes.size(); ++i)
            for (int j : tree.touching(boxes[i])) {
                if (j <= static_cast<int>(i)) continue;
                if (!bodies()[i].closed || !bodies()[ix(j)].closed || bodies()[i].faceted || bodies()[ix(j)].faceted) continue;
                // The smaller one first.
                const bool turn = bodies()[ix(j)].mass.volume < bodies()[i].mass.volume * (1 - 1e-9);
                settle_pair(turn ? ix(j) : i, turn ? i : ix(j));
            }
    }

    void settle_pair(std::size_t i, std::size_t j) {
        const auto place = run_into_each_other(bodies()[i], bodies()[j], limits_.tol);
        if (place && options_.overlap == OverlapAs::cut) cut_pair(i, j, *place);
        else if (place && options_.overlap == OverlapAs::move) {
            if (!move_face(i, j, moved_back(bodies()[i], bodies()[j], limits_.tol)) && !move_face(j, i, moved_back(bodies()[j], bodies()[i], limits_.tol)))
                cannot(bodies()[i], bodies()[j], *place, "no plane face of either can be moved back until they only touch");
        } else if (!place && options_.gaps > 0 && !touch(bodies()[i], bodies()[j])) {
            if (!move_face(i, j, moved_up(bodies()[i], bodies()[j], options_.gaps, limits_.tol)))
                move_face(j, i, moved_up(bodies()[j], bodies()[i], options_.gaps, limits_.tol));
        }
    }

    [[nodiscard]] bool touch(const Body& a, const Body& b) const {
        const auto near = [&](const Body& one, const Body& two) {
            return std::any_of(one.points.begin(), one.points.end(), [&](const Vec3& p) { return two.tree->nearest(p, 10 * limits_.tol).has_value(); });
        };
        return near(a, b) || near(b, a);
    }

    void cannot(const Body& a, const Body& b, const Vec3& place, const std::string& why) {
        stays(a, "runs into " + b.label, why, place, a.box.intersection(b.box).diagonal().norm());
    }

    void cut_pair(std::size_t i, std::size_t j, const Vec3& place) {
        CutBack cut = cut_back(bodies()[i], bodies()[j], limits_.tol);
        if (!cut.rest) {
            cut = cut_back(bodies()[j], bodies()[i], limits_.tol);
            if (cut.rest) std::swap(i, j);
        }
        const Body &body = bodies()[i], &other = bodies()[j];
        if (!cut.rest) return cannot(body, other, place, "no plane face of either parts what lies inside the other");
        LedgerEntry e = entry(EntryKind::overlap_cut, pair_key("overlap", body, other, std::cbrt(cut.lost)), body,
                              fmt::format("cut back to the skin of {}, {:.6g} mm3", other.label, cut.lost), cut.lost, place);
        e.body = body.label + " + " + other.label;
        out_.ledger.push_back(e);
        if (e.state != EntryState::refused) becomes(i, std::move(*cut.rest));
    }

    bool move_face(std::size_t i, std::size_t j, FaceMoved made) {
        if (!made.body) return false;
        const Body &body = bodies()[i], &other = bodies()[j];
        LedgerEntry e = entry(EntryKind::face_moved, pair_key("face-moved", body, other, std::abs(made.by)), body,
                              fmt::format("a face of {:.1f} mm2 is moved {} the skin of {}, {:.4g} mm", body.faces[ix(made.face)].area,
                                          made.by < 0 ? "back to" : "up to", other.label, std::abs(made.by)),
                              std::abs(made.by), made.place);
        e.body = body.label + " + " + other.label;
        out_.ledger.push_back(e);
        if (e.state != EntryState::refused) becomes(i, std::move(*made.body));
        return true;
    }

    static std::string pair_key(const char* kind, const Body& a, const Body& b, double measure) {
        return make_key(kind, std::min(a.key, b.key) + std::max(a.key, b.key), {measure});
    }

    void becomes(std::size_t i, Body made) {
        Body& body = bodies()[i];
        const BodyNames names = body;
        made.colour = body.colour, made.place = body.place, made.part = next_part_++;
        static_cast<BodyNames&>(made) = names;
        body = std::move(made);
        out_.changed = out_.reshaped = true;
    }

    void name_what_fits_nothing() {
        std::set<std::string> known;
        for (const LedgerEntry& e : out_.ledger) known.insert(e.key);
        const auto check = [&](const char* key, const std::vector<std::string>& ids) {
            for (const std::string& id : ids) {
                if (known.count(id)) continue;
                Finding f;
                f.kind = FindingKind::rule_without_effect;
                f.about = fmt::format("{} names {}, which nothing that could be mended has as its id", key, id);
                f.advice = "halvo list MODEL ledger shows the ids";
                f.key = make_key("finding", f.about, {});
                out_.findings.push_back(std::move(f));
            }
        };
        check("mend.refuse", options_.refuse), check("mend.force", options_.force);
    }

    const MendOptions& options_;
    const Observer& observer_;
    SewLimits limits_;
    KeySet keys_;
    int next_part_ = 0;
    Mended out_;
};

}  // namespace

double sewing_distance(const Assembly& solids, const MendOptions& options) {
    return options.sew.value_or(std::max(precisions_sewn * solids.precision, precisions_sewn * solids.tolerance.point));
}

Mended mend(const Assembly& solids, const MendOptions& options, const Observer& observer) {
    return Mending(solids, options, observer).run();
}

}  // namespace halvo
