#include <halvo/strip.hpp>

#include "body/close_wound.hpp"
#include "body/face_outlines.hpp"
#include "body/features.hpp"
#include "body/named.hpp"
#include "core/groups.hpp"
#include "core/index.hpp"
#include "core/keys.hpp"
#include "core/parallel.hpp"
#include "strip/families.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double rounds_searched = 2;      // wall thicknesses: larger rounds are the part's shape, unless the plan speaks of them
constexpr double raised_searched = 2;      // the same for what stands out or is sunk
constexpr double as_worked_out = 1e-6;     // of a body's volume, between what its edits say and what its exact skin then holds
constexpr int small_effort = 3000;         // faces looked at to close what is only proposed
constexpr int most_effort = 300000;        // the same over all features of a body
constexpr double slivers_searched = 0.05;  // the same for faces too narrow for an element, as the survey has it
constexpr double sliver_change = 2;        // widths times the area that goes, by which a sliver may change the volume
constexpr double limit_slack = 1 + 1e-6;   // a feature of just the limit's size goes

EntryKind entry_of(FeatureKind k) {
    switch (k) {
        case FeatureKind::hole:
            return EntryKind::hole;
        case FeatureKind::round:
            return EntryKind::round;
        case FeatureKind::chamfer:
            return EntryKind::chamfer;
        case FeatureKind::raised:
            return EntryKind::raised;
        case FeatureKind::sunk:
            return EntryKind::sunk;
        case FeatureKind::sliver:
            return EntryKind::sliver;
    }
    return EntryKind::hole;
}

const char* limit_key(FeatureKind k) {
    constexpr std::array<const char*, 6> keys{"strip.holes", "strip.rounds", "strip.chamfers", "strip.raised", "strip.raised", "strip.slivers"};
    return keys[static_cast<std::size_t>(k)];
}

std::optional<double> limit_of(const StripOptions& o, FeatureKind k) {
    const std::array<const std::optional<double>*, 6> limits{&o.holes, &o.rounds, &o.chamfers, &o.raised, &o.raised, &o.slivers};
    return *limits[static_cast<std::size_t>(k)];
}

std::string plural(FeatureKind k) {
    constexpr std::array<const char*, 6> names{"holes", "rounds", "chamfers", "raised", "sunk", "slivers"};
    return names[static_cast<std::size_t>(k)];
}

std::string size_text(const Feature& f) {
    const bool round_hole = f.kind == FeatureKind::hole && !f.axis.isZero();
    const char* what = round_hole                       ? "diameter"
                       : f.kind == FeatureKind::hole    ? "across"
                       : f.kind == FeatureKind::round   ? "radius"
                       : f.kind == FeatureKind::chamfer ? "leg"
                       : f.kind == FeatureKind::raised  ? "high"
                       : f.kind == FeatureKind::sliver  ? "wide"
                                                        : "deep";
    return fmt::format("{:.4g} mm {}", f.size, what);
}

// The largest of a kind that has to be looked for.
double searched(const StripOptions& o, FeatureKind kind, double small) {
    double out = std::max(small, limit_of(o, kind).value_or(0));
    for (const StripRule& r : o.rules)
        if (!r.keep && (r.feature.empty() || r.feature == plural(kind)) && std::isfinite(r.to)) out = std::max(out, r.to);
    return out;
}

// The way in which a feature that goes must change the volume: 1 more, -1 less, 0 either.
int grows(const Feature& f) {
    switch (f.kind) {
        case FeatureKind::hole:
        case FeatureKind::sunk:
            return 1;
        case FeatureKind::raised:
            return -1;
        default:
            return f.form == "convex" ? 1 : f.form == "concave" ? -1 : 0;
    }
}

// By how much the body grows; not worked out where splines beside what goes get other borders.
struct Growth {
    double volume = 0;
    bool known = true;
    int way = 0;  // all grow (1) or shrink (-1)
};

// Splines beside what goes have to go on over where it was.
void lengthen_beside(SkinGraph& graph, const std::vector<const Feature*>& features) {
    constexpr double enough = 3;  // times a feature's size
    std::map<int, double> by;
    for (const Feature* f : features) {
        const double size = f->kind == FeatureKind::hole ? 0 : enough * f->size;  // holes are covered from where the face is already
        for (int face : f->faces)
            for (const auto& loop : graph.body().faces[ix(face)].loops)
                for (const Coedge& c : loop)
                    for (const EdgeSide& side : graph.sides(c.edge.value)) by[side.face] = std::max(by[side.face], size);
    }
    for (const auto& [face, length] : by)
        if (length > 0) graph.lengthen(face, length);
}

std::string try_closing(const SkinGraph& graph, const std::vector<int>& faces, double tol, int way, Closing& out, Growth& growth, int effort = full_effort) {
    out = close_wound(graph, {faces, {}}, tol, effort);
    if (!out.edit) return out.why;
    const auto& body = graph.body();
    const Vec3 origin = body.box.center();
    const auto change = change_by(graph, *out.edit, origin);
    growth = {change ? change->volume : 0, change.has_value(), way};
    if (change && way * change->volume < 0) return "the body would change the wrong way round";
    if (change && std::abs(change->volume) > 0.5 * std::abs(body.mass.volume)) return "half the body would go or come with it";
    return {};
}

// Which faces go with a sliver: of the ways that close, the one that changes the volume least. What goes with another one is passed over: of two
// steps side by side each has a side of its own.
void choose_way(const SkinGraph& graph, const SliverFound& found, const std::set<int>& taken, double tol, Feature& f) {
    double least = std::numeric_limits<double>::max();
    for (const auto& way : found.ways) {
        if (std::any_of(way.begin(), way.end(), [&](int k) { return taken.count(k) > 0; })) continue;
        Closing closing;
        Growth growth;
        if (!try_closing(graph, way, tol, 0, closing, growth, small_effort).empty()) continue;
        double area = 0;
        for (int k : way) area += graph.body().faces[ix(k)].area;
        const double change = std::abs(growth.volume);
        if (!growth.known || change > sliver_change * f.size * area || change >= least * (1 - 1e-9)) continue;
        least = change, f.faces = way;
    }
}

// Orders on one body carried out: faces that hang together go together.
class Removal {
public:
    Removal(const Body& body, std::vector<Feature*> ordered, double tol) : body_(body), ordered_(std::move(ordered)), tol_(tol) {}

    std::optional<Body> run() {
        group();
        SkinGraph graph(body_);
        lengthen_beside(graph, {ordered_.begin(), ordered_.end()});
        Body best;
        bool any = false;
        try_groups(graph, 0, groups_.size(), best, any, {0, true, ordered_.empty() ? 0 : grows(*ordered_[0])});
        if (!any) return std::nullopt;
        return best;
    }

private:
    void group() {
        std::map<int, std::size_t> owner;  // of faces
        for (std::size_t i = 0; i < ordered_.size(); ++i)
            for (int f : ordered_[i]->faces) owner[f] = i;
        std::map<int, int> first_at;  // a feature at each vertex
        Groups groups(ordered_.size());
        for (const auto& [f, i] : owner)
            for (const auto& loop : body_.faces[ix(f)].loops)
                for (const Coedge& c : loop)
                    for (int v : body_.edges[c.edge.index()].vertices) {
                        const auto [it, fresh] = first_at.try_emplace(v, static_cast<int>(i));
                        if (!fresh) groups.tie(static_cast<int>(i), it->second);
                    }
        std::map<int, std::vector<Feature*>> by_root;
        for (std::size_t i = 0; i < ordered_.size(); ++i) by_root[groups.root(static_cast<int>(i))].push_back(ordered_[i]);
        for (auto& [root, list] : by_root) groups_.push_back(std::move(list));
    }

    // All groups from `first` to `last` on top of what the graph has; halves where what comes of all is no sound body.
    void try_groups(SkinGraph& graph, std::size_t first, std::size_t last, Body& best, bool& any, const Growth& gained) {
        if (first == last) return;
        SkinGraph with = graph;
        Growth sum = gained;
        std::vector<Feature*> taken;
        for (std::size_t g = first; g < last; ++g) take_group(with, groups_[g], sum, taken);
        if (taken.empty()) return;
        std::string why;
        if (auto body = sound(with, sum, why)) {
            for (Feature* f : taken) f->state = EntryState::applied;
            graph = std::move(with), best = std::move(*body), any = true;
            gained_ = sum;
            return;
        }
        if (last - first == 1) {
            for (Feature* f : taken) f->state = EntryState::proposed, f->why = why;
            return;
        }
        const std::size_t middle = first + (last - first) / 2;
        gained_ = gained;
        try_groups(graph, first, middle, best, any, gained);
        try_groups(graph, middle, last, best, any, gained_);
    }

    // A group as a whole, or those of its features that go one by one.
    void take_group(SkinGraph& graph, const std::vector<Feature*>& group, Growth& sum, std::vector<Feature*>& taken) const {
        std::vector<int> faces;
        int way = grows(*group[0]);
        for (const Feature* f : group) way = grows(*f) == way ? way : 0;
        for (const Feature* f : group) faces.insert(faces.end(), f->faces.begin(), f->faces.end());
        Closing closing;
        Growth change;
        std::string why = try_closing(graph, faces, tol_, way, closing, change);
        if (why.empty()) {
            graph.apply(*closing.edit), add(sum, change);
            taken.insert(taken.end(), group.begin(), group.end());
            return;
        }
        if (group.size() == 1) {
            group[0]->why = why;
            return;
        }
        for (Feature* f : group) {
            const bool there = std::all_of(f->faces.begin(), f->faces.end(), [&](int k) { return graph.has_face(k); });
            const std::string alone = there ? try_closing(graph, f->faces, tol_, grows(*f), closing, change) : "another one took its faces";
            if (!alone.empty()) {
                f->why = why;  // of all that hang together
                continue;
            }
            graph.apply(*closing.edit), add(sum, change);
            taken.push_back(f);
        }
    }

    static void add(Growth& sum, const Growth& one) {
        sum.volume += one.volume, sum.known = sum.known && one.known, sum.way = sum.way == one.way ? sum.way : 0;
    }

    [[nodiscard]] std::optional<Body> sound(const SkinGraph& graph, const Growth& sum, std::string& why) const {
        try {
            Body out = graph.result();
            const double before = body_.mass.volume, after = out.mass.volume;
            if (!(after > 0)) return why = "nothing would be left", std::nullopt;
            if (sum.known && std::abs(after - before - sum.volume) > as_worked_out * before)
                return why = fmt::format("its skin would cross itself ({:.6g} mm3 for {:.6g})", after, before + sum.volume), std::nullopt;
            if (!sum.known && sum.way * (after - before) < -as_worked_out * before) return why = "the body would change the wrong way round", std::nullopt;
            out.key = body_.key;
            return out;
        } catch (const NotLaid& e) {
            why = e.what();
            return std::nullopt;
        }
    }

    const Body& body_;
    std::vector<Feature*> ordered_;
    double tol_;
    Growth gained_;
    std::vector<std::vector<Feature*>> groups_;
};

class Stripping {
public:
    Stripping(const Assembly& solids, const Survey& survey, const StripOptions& options, const Observer& observer)
        : solids_(solids), survey_(survey), options_(options), observer_(observer) {}

    Stripped run() {
        find();
        decide();
        carry_out();
        write();
        for (std::size_t i = 0; i < options_.cuts.size(); ++i) cut(options_.cuts[i], i);
        if (out_.cut) {
            const Tolerance before = out_.solids.tolerance;
            finish_assembly(out_.solids);
            out_.solids.tolerance = before;
        }
        return std::move(out_);
    }

private:
    [[nodiscard]] double wall(std::size_t b) const {
        if (b >= survey_.bodies.size() || survey_.bodies[b].bands.empty()) return 0;
        return survey_.bodies[b].bands[0].mean;
    }

    // Progress is told, and a wish to stop heard, between portions.
    void in_portions(std::size_t n, double done, const std::function<void(std::size_t)>& task) const {
        constexpr std::size_t portion = 16;
        for (std::size_t first = 0; first < n; first += portion) {
            observer_.tell("strip", done + 0.5 * static_cast<double>(first) / static_cast<double>(n));
            parallel_for(std::min(portion, n - first), [&](std::size_t i) { task(first + i); });
        }
    }

    // Once for bodies that are one part.
    void find() {
        std::map<int, std::size_t> first_of;
        std::vector<std::size_t> firsts;
        for (std::size_t b = 0; b < solids_.bodies.size(); ++b)
            if (first_of.try_emplace(solids_.bodies[b].part, b).second) firsts.push_back(b);
        std::vector<std::vector<Feature>> found(solids_.bodies.size());
        in_portions(firsts.size(), 0, [&](std::size_t i) {
            const std::size_t b = firsts[i];
            if (!solids_.bodies[b].faceted && solids_.bodies[b].closed) found[b] = find_features(solids_.bodies[b], options_, wall(b), solids_.tolerance.point);
        });
        for (std::size_t b = 0; b < solids_.bodies.size(); ++b) {
            const std::size_t from = first_of[solids_.bodies[b].part];
            const Eigen::Isometry3d way = solids_.bodies[b].place * solids_.bodies[from].place.inverse();
            KeySet keys;
            for (Feature f : found[from]) {
                f.body = BodyId(b);
                if (b != from) f.place = way * f.place, f.axis = way.linear() * f.axis;
                f.key = keys.unique(own_key(f.key, solids_.bodies[b].key));
                out_.features.push_back(std::move(f));
            }
        }
        sort_families(solids_, out_.features);
        for (Feature& f : out_.features) f.offered = f.offered && f.bolt.empty();
    }

    void rule_fits_nothing(const std::string& what, const std::string& advice) {
        Finding f;
        f.kind = FindingKind::rule_without_effect, f.about = what, f.advice = advice;
        f.key = make_key("finding", what, {});
        out_.findings.push_back(std::move(f));
    }

    [[nodiscard]] std::set<int> families_of(const std::vector<std::string>& keys) const {
        std::set<int> out;
        for (const Feature& f : out_.features)
            if (std::find(keys.begin(), keys.end(), f.key) != keys.end()) out.insert(f.family);
        return out;
    }

    void decide() {
        ordered_.assign(out_.features.size(), false);
        std::vector<bool>& go = ordered_;
        for (std::size_t i = 0; i < go.size(); ++i) {
            Feature& f = out_.features[i];
            auto limit = limit_of(options_, f.kind);
            if (f.kind == FeatureKind::sliver && !limit) limit = std::max(solids_.precision, solids_.tolerance.point);
            if (limit && f.size <= *limit * limit_slack)
                go[i] = true, f.why = limit_of(options_, f.kind) ? limit_key(f.kind) : "narrower than the file is precise";
        }
        for (std::size_t r = 0; r < options_.rules.size(); ++r) {
            const StripRule& rule = options_.rules[r];
            const auto box = own_box(rule.within, solids_.shift);
            const auto like = families_of(rule.like);
            int hits = 0;
            for (std::size_t i = 0; i < go.size(); ++i) {
                Feature& f = out_.features[i];
                const bool named = rule.id.empty() || std::find(rule.id.begin(), rule.id.end(), f.key) != rule.id.end();
                if (!named || (!rule.like.empty() && !like.count(f.family)) || !is_named(solids_.bodies[f.body.index()], rule.body)) continue;
                if (!rule.feature.empty() && rule.feature != plural(f.kind)) continue;
                if (f.size < rule.from / limit_slack || f.size > rule.to * limit_slack || (box && !box->contains(f.place))) continue;
                go[i] = !rule.keep, f.why = fmt::format("rule {} of [[strip]]", r + 1), ++hits;
            }
            if (hits == 0)
                rule_fits_nothing(fmt::format("rule {} of [[strip]] fits no feature", r + 1), "halvo list MODEL features shows them with their ids and sizes");
        }
        const auto by_key = [&](const char* name, const std::vector<std::string>& keys, bool goes) {
            for (const std::string& k : keys) {
                bool any = false;
                for (std::size_t i = 0; i < go.size(); ++i)
                    if (out_.features[i].key == k)
                        go[i] = goes, out_.features[i].why = name, any = true, out_.features[i].state = goes ? EntryState::proposed : EntryState::refused;
                if (!any) rule_fits_nothing(fmt::format("{} names {}, which is no feature", name, k), "halvo list MODEL features shows them with their ids");
            }
        };
        by_key("strip.force", options_.force, true), by_key("strip.keep", options_.keep, false), by_key("strip.refuse", options_.refuse, false);
    }

    void carry_out() {
        out_.solids = solids_;
        std::map<std::pair<int, std::vector<int>>, std::vector<std::size_t>> alike;  // bodies of one part that lose the same faces
        for (std::size_t b = 0; b < solids_.bodies.size(); ++b) {
            std::vector<int> faces;
            for (std::size_t i : of_body(b))
                if (ordered_[i]) faces.insert(faces.end(), out_.features[i].faces.begin(), out_.features[i].faces.end());
            if (!faces.empty()) alike[{solids_.bodies[b].part, faces}].push_back(b);
        }
        std::vector<std::vector<std::size_t>> jobs;
        for (const auto& [key, bodies] : alike) jobs.push_back(bodies);
        int parts = 0;
        for (const Body& b : solids_.bodies) parts = std::max(parts, b.part + 1);
        std::vector<std::optional<Body>> done(jobs.size());
        in_portions(jobs.size(), 0.5, [&](std::size_t j) {
            std::vector<Feature*> ordered;
            for (std::size_t i : of_body(jobs[j][0]))
                if (ordered_[i]) ordered.push_back(&out_.features[i]);
            done[j] = Removal(solids_.bodies[jobs[j][0]], std::move(ordered), solids_.tolerance.point).run();
        });
        for (std::size_t j = 0; j < jobs.size(); ++j) {
            const std::size_t first = jobs[j][0];
            for (std::size_t b : jobs[j]) {
                copy_states(first, b);
                if (!done[j]) continue;
                const Body& before = solids_.bodies[b];
                Body& body = out_.solids.bodies[b];
                body = b == first ? *done[j] : moved(*done[j], before.place * solids_.bodies[first].place.inverse());
                static_cast<BodyNames&>(body) = before;
                body.colour = before.colour, body.place = before.place, body.part = parts + static_cast<int>(j);
                out_.changed = true;
            }
        }
        next_part_ = parts + static_cast<int>(jobs.size());
    }

    [[nodiscard]] std::vector<std::size_t> of_body(std::size_t b) const {
        std::vector<std::size_t> out;
        const auto [lo, hi] = std::equal_range(out_.features.begin(), out_.features.end(), b, [](const auto& x, const auto& y) {
            const auto number = [](const auto& k) {
                if constexpr (std::is_same_v<std::decay_t<decltype(k)>, Feature>) return k.body.index();
                else return static_cast<std::size_t>(k);
            };
            return number(x) < number(y);
        });
        for (auto it = lo; it != hi; ++it) out.push_back(static_cast<std::size_t>(it - out_.features.begin()));
        return out;
    }

    void copy_states(std::size_t from, std::size_t to) {
        if (from == to) return;
        const auto a = of_body(from), b = of_body(to);
        for (std::size_t i = 0; i < std::min(a.size(), b.size()); ++i)
            if (ordered_[b[i]]) out_.features[b[i]].state = out_.features[a[i]].state, out_.features[b[i]].why = out_.features[a[i]].why;
    }

    void write() {
        for (std::size_t i = 0; i < out_.features.size(); ++i) {
            Feature& f = out_.features[i];
            const std::string& body = solids_.bodies[f.body.index()].label;
            const bool stays = ordered_[i] && f.state != EntryState::applied;
            if (stays) {
                Finding k;
                k.kind = FindingKind::feature_stays, k.body = body, k.place = f.place, k.size = f.size;
                k.about = fmt::format("{}: {} {} of {} was to go and stays whole: {}", body, f.form, feature_name(f.kind), size_text(f), f.why);
                k.advice = fmt::format("strip.keep = [\"{}\"] takes it as it is; change it in CAD otherwise", f.key);
                k.key = make_key("finding", f.key, {f.size}), k.body_keys[0] = solids_.bodies[f.body.index()].key;
                out_.findings.push_back(std::move(k));
            }
            if (!stays && !f.offered && f.state == EntryState::proposed) continue;  // found, and nobody's business
            LedgerEntry e;
            e.key = f.key, e.stage = "strip", e.kind = entry_of(f.kind), e.state = f.state, e.value = f.size, e.place = f.place, e.body = body;
            e.about = fmt::format("{} {} of {}, {:+.4g} mm3{}{}{}", f.form, feature_name(f.kind), size_text(f), f.volume,
                                  f.pattern.empty() ? "" : "; " + f.pattern, f.bolt.empty() ? "" : "; " + f.bolt, f.why.empty() ? "" : "; " + f.why);
            out_.ledger.push_back(std::move(e));
        }
    }

    void cut(const CutRule& rule, std::size_t number) {
        const Plane plane = Plane::through(rule.point - solids_.shift, rule.normal);
        std::vector<Body> bodies;
        int crossed = 0, gone = 0;
        double volume = 0;
        for (Body& b : out_.solids.bodies) {
            if (!is_named(b, rule.body)) {
                bodies.push_back(std::move(b));
                continue;
            }
            if (b.faceted || !b.closed)
                throw Error(ErrorKind::stage, fmt::format("[[cut]]: {} is {}, and only closed solids with exact faces can be cut; name others in cut.body",
                                                          b.label, b.faceted ? "of facets" : "open"));
            observer_.tell("strip", 1);
            CutParts parts = cut_by(b, plane, solids_.tolerance.point);
            crossed += parts.crossed ? 1 : 0;
            std::vector<std::optional<Body>*> stay;
            if (rule.keep != CutKeeps::back) stay.push_back(&parts.front);
            if (rule.keep != CutKeeps::front) stay.push_back(&parts.back);
            bool any = false;
            for (auto* p : stay) {
                if (!*p) continue;
                Body& part = **p;
                if (parts.crossed) {
                    part.part = next_part_++;
                    if (rule.keep == CutKeeps::both) part.name += p == &parts.front ? " front" : " back", part.path += p == &parts.front ? " front" : " back";
                    name_body(part);
                }
                any = true, volume += part.mass.volume;
                bodies.push_back(std::move(part));
            }
            gone += any ? 0 : 1;
        }
        out_.solids.bodies = std::move(bodies);
        if (out_.solids.bodies.empty()) throw Error(ErrorKind::input, fmt::format("cut {} leaves no body; keep the other side, or move its point", number + 1));
        if (crossed == 0 && gone == 0)
            rule_fits_nothing(fmt::format("cut {} passes through no body", number + 1), "move cut.point, or name the bodies in cut.body");
        else out_.changed = out_.cut = true;
        LedgerEntry e;
        e.stage = "strip", e.kind = EntryKind::cut, e.value = volume, e.place = rule.point - solids_.shift;
        e.about = fmt::format("cut through {} {}, {} more gone whole; {:.6g} mm3 stay{}", crossed, crossed == 1 ? "body" : "bodies", gone, volume,
                              rule.symmetry ? "; plane of symmetry" : "");
        e.key = make_key("cut", rule.name, {rule.point.x(), rule.point.y(), rule.point.z(), rule.normal.x(), rule.normal.y(), rule.normal.z()});
        out_.ledger.push_back(std::move(e));
    }

    const Assembly& solids_;
    const Survey& survey_;
    const StripOptions& options_;
    const Observer& observer_;
    std::vector<bool> ordered_;  // of features
    Stripped out_;
    int next_part_ = 0;  // numbers for bodies unlike all others
};

}  // namespace

const char* feature_name(FeatureKind kind) {
    constexpr const char* names[] = {"hole", "round", "chamfer", "raised", "sunk", "sliver"};
    return names[static_cast<int>(kind)];
}

std::vector<Feature> find_features(const Body& body, const StripOptions& options, double wall, double tol) {
    const FaceNeighbours neighbours = face_neighbours(body);
    const Searched s{body, neighbours, tol};
    std::vector<Feature> out = find_islands(s);
    std::erase_if(out, [&](const Feature& f) {
        return (f.kind == FeatureKind::raised || f.kind == FeatureKind::sunk) && f.size > searched(options, f.kind, raised_searched * wall) * limit_slack;
    });
    for (const auto& more :
         {find_round_chains(s, searched(options, FeatureKind::round, rounds_searched * wall)), find_chamfers(s, searched(options, FeatureKind::chamfer, wall))})
        out.insert(out.end(), more.begin(), more.end());
    std::vector<bool> taken(body.faces.size(), false);
    for (const Feature& f : out)
        for (int k : f.faces) taken[ix(k)] = true;
    const auto slivers = find_slivers(s, searched(options, FeatureKind::sliver, slivers_searched * wall), taken);
    const std::size_t first_sliver = out.size();
    for (const SliverFound& k : slivers) out.push_back(k.feature);
    SkinGraph graph(body);
    std::vector<const Feature*> all;
    for (const Feature& f : out) all.push_back(&f);
    lengthen_beside(graph, all);
    std::set<int> gone;
    std::vector<Feature> different;
    for (const SliverFound& k : slivers) {
        Feature f = k.feature;
        choose_way(graph, k, gone, tol, f);
        if (std::any_of(f.faces.begin(), f.faces.end(), [&](int face) { return gone.count(face) > 0; })) continue;  // the other side of a groove
        gone.insert(f.faces.begin(), f.faces.end());
        different.push_back(std::move(f));
    }
    out.resize(first_sliver);
    out.insert(out.end(), different.begin(), different.end());
    KeySet keys;
    int spent = 0;
    for (Feature& f : out) {
        Closing closing;
        std::sort(f.faces.begin(), f.faces.end());
        Growth growth;
        const bool looked_into = spent < most_effort;
        f.why = looked_into ? try_closing(graph, f.faces, tol, grows(f), closing, growth, small_effort) : "not tried: the body has many that do not close";
        spent += closing.effort;
        f.volume = growth.volume;
        const double small = f.kind == FeatureKind::hole ? wall : f.kind == FeatureKind::sliver ? slivers_searched * wall : 0.5 * wall;
        f.offered = f.why.empty() && !limit_of(options, f.kind) && f.size <= small * limit_slack;
        double area = 0;
        for (int k : f.faces) area += body.faces[ix(k)].area;
        f.key = keys.unique(make_key(feature_name(f.kind), body.name, {f.size, std::sqrt(area), (f.place - body.mass.centre).norm()}));
    }
    return out;
}

Stripped strip(const Assembly& solids, const Survey& survey, const StripOptions& options, const Observer& observer) {
    return Stripping(solids, survey, options, observer).run();
}

}  // namespace halvo
