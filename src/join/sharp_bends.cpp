#include "join/sharp_bends.hpp"

#include "core/groups.hpp"
#include "core/keys.hpp"
#include "geom/rounds.hpp"
#include "join/settle.hpp"
#include "model/renumber.hpp"
#include "model/volumes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

bool inside_is_up(const Sheet& s) {
    const Vec3 at = s.chart.plane().origin;
    const auto spine = spine_point(s.chart.surface(), at);
    return spine && s.chart.normal(at).dot(*spine - at) > 0;
}

bool sharp_at_its_side(const Sheet& s) {
    return s.field.ridge && !s.placed && s.reference != Reference::middle && inside_is_up(s) == (s.reference == Reference::outer);
}

// A bend between two walls: a strip with an edge, or several in line, along each of them, and what joins these across at both ends.
class Strip {
public:
    Strip(const Sheet& s, const Region& r, const Model& model) : sheet_(s), region_(r), model_(model), up_(inside_is_up(s)) {}

    // Place on the sharp edge, next to a place of the bend.
    Vec3 on_ridge(const Vec3& from) const {
        return settle(from, [&](const Vec3& x, const auto& add) {
            for (const ThicknessPiece& k : sheet_.field.pieces) {
                const SkinPoint f = (up_ ? k.top : k.bottom).foot(x);
                add(f.normal, (x - f.point).dot(f.normal), 1.0);
            }
        });
    }

    // Do the ends of an edge lie at unlike angles round the sharp edge?
    bool across(const EdgeUse& u) const {
        constexpr double least = 0.05;
        const Curve& c = model_.edges[u.edge.index()].curve;
        const Vec3 a = c.start() - on_ridge(c.start()), b = c.end() - on_ridge(c.end());
        return a.cross(b).norm() > std::sin(least) * a.norm() * b.norm();
    }

    // The chains along both walls, each in the loop's own sense, or none in a corner of bends, that all lies at one point of the sharp edges;
    // nothing where it is neither.
    std::optional<std::array<std::vector<EdgeUse>, 2>> chains() const {
        if (region_.loops.size() != 1 || !region_.embedded.empty() || !region_.points.empty()) return std::nullopt;
        const auto& loop = region_.loops[0];
        std::vector<bool> is_across;
        for (const EdgeUse& u : loop) is_across.push_back(across(u));
        const std::size_t n = loop.size();
        std::array<std::vector<EdgeUse>, 2> out;
        if (std::find(is_across.begin(), is_across.end(), false) == is_across.end()) return out;
        std::size_t start = 0, found = 0;
        while (start < n && !(is_across[start] && !is_across[(start + 1) % n])) ++start;
        for (std::size_t k = 1; k <= n && start < n; ++k) {
            const std::size_t i = (start + k) % n;
            if (is_across[i]) continue;
            if (is_across[(start + k - 1) % n] && ++found > 2) return std::nullopt;
            out[found - 1].push_back(loop[i]);
        }
        return found == 2 ? std::optional(out) : std::nullopt;
    }

private:
    const Sheet& sheet_;
    const Region& region_;
    const Model& model_;
    bool up_;
};

class Closer {
public:
    explicit Closer(const Model& model)
        : model_(model),
          change_(model),
          vertices_(model.vertices.size()),
          held_(held_edges(model)),
          with_member_(sheets_with_members(model)),
          at_(sheets_at_edges(model)) {}

    // Of which bodies can they go, as far as shows before anything is changed?
    void leave_out_unfit(std::set<BodyId>& bodies) const {
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            const Sheet& k = model_.sheets[s];
            if (bodies.count(k.body) == 0 || !sharp_at_its_side(k)) continue;
            if (!std::all_of(k.regions.begin(), k.regions.end(), [&](const Region& r) { return can_close(s, r); })) bodies.erase(k.body);
        }
    }

    // Those of some bodies, or a body of which they cannot go after all.
    std::optional<BodyId> close(const std::set<BodyId>& bodies) {
        std::vector<std::size_t> bends;
        for (std::size_t s = 0; s < model_.sheets.size(); ++s)
            if (bodies.count(model_.sheets[s].body) && sharp_at_its_side(model_.sheets[s])) bends.push_back(s);
        for (const std::size_t s : bends)
            if (!split_alike(s)) return model_.sheets[s].body;
        at_ = sheets_at_edges(model_);
        for (const std::size_t s : bends)
            for (const Region& r : model_.sheets[s].regions)
                if (!close(s, r)) return model_.sheets[s].body;
        finish(bends);
        return std::nullopt;
    }

    Model model_;
    std::map<std::size_t, double> volumes_;  // of sheets, by their numbers before
    std::vector<int> number_;                // of sheets, after

private:
    // Where a wall on one side only has a vertex along the bend, the other side gets one.
    bool split_alike(std::size_t s) {
        for (std::size_t r = 0; r < model_.sheets[s].regions.size(); ++r) {
            const auto chains = Strip(model_.sheets[s], model_.sheets[s].regions[r], model_).chains();
            if (!chains) return false;
            if ((*chains)[0].empty()) continue;
            const std::vector<double> there = inner_places(s, r, (*chains)[0], false), back = inner_places(s, r, (*chains)[1], true);
            if (!split((*chains)[0], there, back, false) || !split((*chains)[1], back, there, true)) return false;
        }
        return true;
    }

    // Shares of its length at which a chain has vertices, from the end where the other one starts if it runs back.
    std::vector<double> inner_places(std::size_t s, std::size_t r, const std::vector<EdgeUse>& chain, bool back) const {
        const Strip strip(model_.sheets[s], model_.sheets[s].regions[r], model_);
        std::vector<double> out;
        double sum = 0;
        for (const EdgeUse& u : chain) out.push_back(sum += length_on_ridge(strip, u));
        out.pop_back();
        for (double& d : out) d = back ? 1 - d / sum : d / sum;
        if (back) std::reverse(out.begin(), out.end());
        return out;
    }
    double length_on_ridge(const Strip& strip, const EdgeUse& u) const {
        const Curve& c = model_.edges[u.edge.index()].curve;
        return (strip.on_ridge(c.start()) - strip.on_ridge(c.middle())).norm() + (strip.on_ridge(c.middle()) - strip.on_ridge(c.end())).norm();
    }

    bool split(const std::vector<EdgeUse>& chain, const std::vector<double>& own, const std::vector<double>& wanted, bool back) {
        constexpr double same = 1e-3;
        std::vector<double> ends{0};
        ends.insert(ends.end(), own.begin(), own.end());
        ends.push_back(1);
        for (std::size_t k = 0; k + 1 < ends.size(); ++k) {
            const EdgeUse& u = chain[back ? chain.size() - 1 - k : k];
            std::vector<double> shares;  // of the edge's own parameter
            for (const double w : wanted) {
                if (w <= ends[k] + same || w >= ends[k + 1] - same) continue;
                const double share = (w - ends[k]) / (ends[k + 1] - ends[k]);
                shares.push_back(u.reversed != back ? 1 - share : share);
            }
            std::sort(shares.begin(), shares.end(), std::greater<>());
            if (!shares.empty() && held_[u.edge.index()]) return false;
            for (std::size_t i = 0; i < shares.size(); ++i) split_edge(model_, u.edge, i == 0 ? shares[i] : shares[i] / shares[i - 1]);
            held_.resize(model_.edges.size(), false);
        }
        return true;
    }

    VertexId end_of(const EdgeUse& u) const { return model_.edges[u.edge.index()].vertices[u.reversed ? 0 : 1]; }
    VertexId start_of(const EdgeUse& u) const { return model_.edges[u.edge.index()].vertices[u.reversed ? 1 : 0]; }

    bool can_close(std::size_t s, const Region& r) const {
        const auto chains = Strip(model_.sheets[s], r, model_).chains();
        if (!chains) return false;
        if (std::any_of(r.loops[0].begin(), r.loops[0].end(), [&](const EdgeUse& u) { return held_[u.edge.index()]; })) return false;
        for (const auto& chain : *chains)
            for (const EdgeUse& u : chain)
                if (!beside(s, u.edge)) return false;
        return true;
    }

    bool close(std::size_t s, const Region& r) {
        const auto chains = Strip(model_.sheets[s], r, model_).chains();
        if (!chains || (*chains)[0].size() != (*chains)[1].size()) return false;
        pairs_.push_back(*chains);
        for (const EdgeUse& u : r.loops[0]) {
            const bool along = std::any_of(chains->begin(), chains->end(), [&](const auto& chain) {
                return std::any_of(chain.begin(), chain.end(), [&](const EdgeUse& c) { return c.edge == u.edge; });
            });
            if (!along) points_.push_back(u.edge);
        }
        return true;
    }

    // Is the sheet beyond an edge one that goes to the same side?
    bool beside(std::size_t s, EdgeId e) const {
        const Sheet& own = model_.sheets[s];
        std::size_t others = 0;
        for (const SheetAtEdge& u : at_[e.index()]) {
            const Sheet& k = model_.sheets[u.sheet.index()];
            if (u.sheet.index() == s) continue;
            if (k.reference != own.reference || k.placed || with_member_[u.sheet.index()] || sharp_at_its_side(k)) return false;
            ++others;
        }
        return others > 0;
    }

    void finish(const std::vector<std::size_t>& bends) {
        change_ = Renumbering(model_);
        vertices_ = Groups(model_.vertices.size());
        const auto tie = [&](VertexId a, VertexId b) { vertices_.tie(a.value, b.value); };
        for (EdgeId e : points_) tie(model_.edges[e.index()].vertices[0], model_.edges[e.index()].vertices[1]), change_.edges[e.index()] = {};
        for (const auto& [there, back] : pairs_)
            for (std::size_t k = 0; k < there.size(); ++k) {
                const EdgeUse &a = there[k], &b = back[there.size() - 1 - k];
                tie(start_of(a), end_of(b)), tie(end_of(a), start_of(b));
                change_.edges[b.edge.index()] = {a.edge, a.reversed == b.reversed};
            }
        std::map<int, std::vector<Vec3>> points;
        for (std::size_t v = 0; v < model_.vertices.size(); ++v) {
            const int root = vertices_.root(static_cast<int>(v));
            change_.vertices[v] = VertexId(root);
            points[root].push_back(model_.vertices[v].point);
        }
        for (const auto& [root, list] : points) {
            Vec3 sum = Vec3::Zero();
            for (const Vec3& p : list) sum += p;
            if (list.size() > 1) model_.vertices[static_cast<std::size_t>(root)].point = sum / static_cast<double>(list.size());
        }
        for (const std::size_t s : bends) change_.goes[s] = true;
        leave_to_others();
        for (std::size_t s = 0, next = 0; s < model_.sheets.size(); ++s) number_.push_back(change_.goes[s] ? -1 : static_cast<int>(next++));
        renumber(model_, change_);
    }

    // What goes, bends and what fills the corners between them, leaves its volume to the sheets at its edges, or else its vertices.
    void leave_to_others() {
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) change_.goes[s] = change_.goes[s] || all_in_points(model_.sheets[s]);
        std::vector<std::set<std::size_t>> at_vertex(model_.vertices.size());
        for (std::size_t e = 0; e < model_.edges.size(); ++e)
            for (VertexId v : model_.edges[e].vertices)
                for (const SheetAtEdge& u : at_[e].empty() || !v ? std::vector<SheetAtEdge>{} : at_[e])
                    at_vertex[static_cast<std::size_t>(vertices_.root(v.value))].insert(u.sheet.index());
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            if (!change_.goes[s]) continue;
            const Sheet& gone = model_.sheets[s];
            std::set<std::size_t> heirs, near;
            for (const Region& r : gone.regions)
                for (const EdgeUse& u : r.loops[0]) {
                    if (change_.edges[u.edge.index()].edge)
                        for (const SheetAtEdge& o : at_[u.edge.index()]) heirs.insert(o.sheet.index());
                    const auto& there = at_vertex[static_cast<std::size_t>(vertices_.root(start_of(u).value))];
                    near.insert(there.begin(), there.end());
                }
            for (auto* list : {&heirs, &near}) std::erase_if(*list, [&](std::size_t k) { return change_.goes[k] || model_.sheets[k].body != gone.body; });
            if (heirs.empty()) heirs = near;
            const double volume = wall_depth(model_, gone) * gone.own_area() / gone.growth;
            for (const std::size_t k : heirs) volumes_[k] += volume / static_cast<double>(heirs.size());
            tell(gone, volume);
        }
    }

    bool all_in_points(const Sheet& s) const {
        return std::all_of(s.regions.begin(), s.regions.end(), [&](const Region& r) {
            return std::all_of(r.loops[0].begin(), r.loops[0].end(), [&](const EdgeUse& u) { return !change_.edges[u.edge.index()].edge; });
        });
    }

    void tell(const Sheet& gone, double volume) {
        std::set<int> faces;
        for (const auto* list : {&gone.top_faces, &gone.bottom_faces}) faces.insert(list->begin(), list->end());
        for (std::size_t k = 0; k < model_.sheets.size(); ++k)
            if (!change_.goes[k] && model_.sheets[k].body == gone.body)
                for (const auto* list : {&model_.sheets[k].top_faces, &model_.sheets[k].bottom_faces})
                    for (int f : *list) faces.erase(f);
        model_.roots.push_back({gone.body, 0, {faces.begin(), faces.end()}});
        model_.ledger.push_back({"sharp-" + gone.key, "halve", EntryKind::reference, EntryState::applied,
                                 fmt::format("{}: a sharp edge at the {} side: the walls beside it meet there and stand for its {:.1f} mm3", gone.key,
                                             gone.reference == Reference::outer ? "outer" : "inner", volume),
                                 volume, gone.chart.plane().origin, ""});
    }

    Renumbering change_;
    Groups vertices_;                // that become one
    std::vector<bool> held_;         // each edge
    std::vector<bool> with_member_;  // each sheet
    std::vector<std::vector<SheetAtEdge>> at_;
    std::vector<std::array<std::vector<EdgeUse>, 2>> pairs_;  // of chains that become one
    std::vector<EdgeId> points_;                              // edges that shrink to points
};

}  // namespace

std::vector<bool> sheets_with_members(const Model& model) {
    std::vector<bool> on_member(model.edges.size(), false), out;
    for (const Member& m : model.members)
        for (const EdgeUse& u : m.chain) on_member[u.edge.index()] = true;
    for (const Sheet& s : model.sheets)
        out.push_back(std::any_of(s.regions.begin(), s.regions.end(), [&](const Region& r) {
            return std::any_of(r.embedded.begin(), r.embedded.end(), [&](EdgeId e) { return on_member[e.index()]; }) ||
                   std::any_of(r.loops.begin(), r.loops.end(), [&](const auto& loop) {
                       return std::any_of(loop.begin(), loop.end(), [&](const EdgeUse& u) { return on_member[u.edge.index()]; });
                   });
        }));
    return out;
}

SharpBends close_sharp_bends(Model& model) {
    SharpBends out;
    out.volumes.assign(model.sheets.size(), 0);
    std::map<BodyId, Sheet> first;  // of each body
    std::set<BodyId> go;
    for (const Sheet& s : model.sheets)
        if (sharp_at_its_side(s) && first.try_emplace(s.body, s).second) go.insert(s.body);
    while (!go.empty()) {
        Closer closer(model);
        closer.leave_out_unfit(go);
        if (go.empty()) break;
        if (const auto failed = closer.close(go)) {
            go.erase(*failed);
            continue;
        }
        std::vector<double> volumes(closer.model_.sheets.size(), 0);
        for (std::size_t s = 0; s < closer.number_.size(); ++s)
            if (closer.number_[s] >= 0) volumes[static_cast<std::size_t>(closer.number_[s])] = closer.volumes_[s];
        out.volumes = std::move(volumes);
        model = std::move(closer.model_);
        break;
    }
    for (const auto& [body, bend] : first) {
        if (go.count(body)) continue;
        out.bodies.insert(body);
        model.findings.push_back({make_key("finding", "sharp " + bend.key, {}), FindingKind::reference_at_the_middle,
                                  fmt::format("{}: this bend is a sharp edge at the side asked for, so all of its body stays at the middle", bend.key),
                                  "ask for the other side, or give its walls reference = \"middle\"", bend.chart.plane().origin, bend.thickness.max, ""});
    }
    return out;
}

}  // namespace halvo
