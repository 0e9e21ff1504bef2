#include "join/fasteners.hpp"

#include "core/keys.hpp"
#include "geom/foot_curve.hpp"
#include "model/sheet_values.hpp"

#include <halvo/halve.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double upright = 0.7;      // cosine between a shank and the normal of a sheet that it holds
constexpr double rim_from = 0.5;     // of the hole's radius, as far as its rim is from the axis at least
constexpr double rim_to = 1.3;       // and at most: on round skins a bore is wider outside
constexpr double along_shank = 0.9;  // cosine between it and the normal of skins that it presses on each other

std::string joined(const std::vector<std::string>& names) {
    std::string out;
    for (const std::string& n : names) out += (out.empty() ? "" : ", ") + n;
    return out;
}

// Where the axis meets the sheet's surface, near a place along it.
std::optional<double> meets_axis(const Sheet& sheet, const Frame& axis, double near) {
    double t = near;
    for (int i = 0; i < 12; ++i) {
        const Vec3 p = axis.at(0, 0, t), q = sheet.chart.foot(p), n = sheet.chart.normal(q);
        if (std::abs(n.dot(axis.z)) < upright) return std::nullopt;
        t += (q - p).dot(n) / axis.z.dot(n);
    }
    return t;
}

// The sheet's border round the hole: a loop all of which is about as far from the axis as the hole is wide.
std::vector<int> rim_of(const Model& model, const Sheet& sheet, const Frame& axis, double radius) {
    constexpr int n = 8;
    for (const Region& r : sheet.regions)
        for (const auto& loop : r.loops) {
            const bool round = std::ranges::all_of(loop, [&](const EdgeUse& u) {
                const Curve& c = model.edges[u.edge.index()].curve;
                for (int k = 0; k < n; ++k) {
                    const double off = axis.local2(c.point(c.parameter_at((k + 0.5) / n))).norm();
                    if (off < rim_from * radius || off > rim_to * radius) return false;
                }
                return true;
            });
            if (!round) continue;
            std::vector<int> out;
            for (const EdgeUse& u : loop) out.push_back(u.edge.value);
            return out;
        }
    return {};
}

Curve circle(const Frame& axis, double at, double radius) {
    Frame f = axis;
    f.origin = axis.at(0, 0, at);
    Curve c;
    c.shape = CircleCurve{f, radius}, c.t0 = 0, c.t1 = 2 * pi;
    return c;
}

int section_of(Model& model, double radius) {
    Section s = section_of_profile({{circle(Frame(), 0, radius)}});
    s.key = make_key("section", s.shape, {std::sqrt(s.area), std::pow(s.i1, 0.25), std::pow(s.i2, 0.25), s.depth});
    for (std::size_t k = 0; k < model.sections.size(); ++k)
        if (model.sections[k].key == s.key) return static_cast<int>(k);
    model.sections.push_back(std::move(s));
    return static_cast<int>(model.sections.size()) - 1;
}

}  // namespace

std::vector<FastenerStop> Fastening::stops_of(const Model& model, const Fastener& f) const {
    std::vector<FastenerStop> out;
    for (const Fastener::Grip& g : f.grips) {
        const double middle = 0.5 * (g.low + g.high);
        const std::size_t before = out.size();
        for (std::size_t s = 0; s < model.sheets.size(); ++s) {
            const Sheet& sheet = model.sheets[s];
            if (sheet.body != g.body) continue;
            const auto at = meets_axis(sheet, f.axis, middle);
            const double slack = 0.5 * sheet.thickness.max;
            if (!at || *at < g.low - slack || *at > g.high + slack) continue;
            const Vec2 q = sheet.chart.local2(sheet.chart.foot(f.axis.at(0, 0, *at)));
            const bool in = inside(sheet.own_outline, q) || border_distance(sheet.own_outline, q) <= rim_to * g.radius;
            if (in) out.push_back({*at, g.body, static_cast<int>(s), -1, g.radius});
        }
        if (out.size() > before) continue;
        FastenerStop stop{middle, g.body, -1, -1, g.radius};
        double nearest = std::numeric_limits<double>::max();
        for (std::size_t m = 0; m < model.members.size(); ++m) {
            if (model.members[m].body != g.body) continue;
            const Axis& axis = model.members[m].axis;
            const Vec3 p = f.axis.at(0, 0, middle);
            if (const double d = (axis.at(std::clamp(axis.parameter(p), 0.0, axis.length())) - p).norm(); d < nearest)
                nearest = d, stop.member = static_cast<int>(m);
        }
        out.push_back(stop);
    }
    std::ranges::stable_sort(out, [](const FastenerStop& a, const FastenerStop& b) { return a.at < b.at; });
    return out;
}

void Fastening::lines(Model& model) {
    std::vector<bool> made(solids_.bodies.size(), false);
    for (const Sheet& s : model.sheets)
        if (s.body) made[s.body.index()] = true;
    for (const Member& m : model.members)
        if (m.body) made[m.body.index()] = true;
    for (Fastener& f : find_fasteners(solids_)) {
        const std::string key = fastener_key(solids_.bodies[f.body.index()]);
        if (made[f.body.index()] || std::ranges::find(options_.refuse, key) != options_.refuse.end()) continue;
        HeldFastener h{std::move(f), {}, -1};
        h.stops = stops_of(model, h.fastener);
        const bool holds = h.stops.size() > 1 && std::ranges::any_of(h.stops, [](const FastenerStop& s) { return s.sheet >= 0 || s.member >= 0; });
        if (!holds && options_.fasteners != FastenersAs::left_out) {
            loose_.push_back(h.fastener);
            continue;
        }
        const double length = holds ? h.stops.back().at - h.stops.front().at : 0;
        if (options_.fasteners == FastenersAs::line && length > h.fastener.radius * 0.1) {
            Member m;
            const Body& body = solids_.bodies[h.fastener.body.index()];
            m.key = fastener_key(body), m.body = h.fastener.body, m.section = SectionId(section_of(model, h.fastener.radius));
            Frame begin = h.fastener.axis;
            begin.origin = place(h, h.stops.front().at);
            m.axis = Axis::straight(begin, length);
            model.vertices.push_back({m.axis.at(0)}), model.vertices.push_back({m.axis.at(length)});
            model.edges.push_back(
                {Curve::segment(m.axis.at(0), m.axis.at(length)), {VertexId(model.vertices.size() - 2), VertexId(model.vertices.size() - 1)}});
            m.chain.push_back({EdgeId(model.edges.size() - 1), false});
            h.member = static_cast<int>(model.members.size());
            model.members.push_back(std::move(m));
        }
        held_.push_back(std::move(h));
    }
}

// Does a rule of the plan speak of how these bodies lie on each other?
bool Fastening::lapped_by_plan(BodyId a, BodyId b, const Vec3& place, const JointRules& rules) const {
    const auto said = [&](LapsAs otherwise) { return rules.choice(&JointRule::laps, otherwise, "", a, b, place); };
    return said(LapsAs::link) == said(LapsAs::tie);
}

std::vector<Contact> Fastening::others(std::vector<Contact> contacts, const JointRules& rules) {
    if (held_.empty()) return contacts;
    std::set<BodyId> own;
    std::map<BodyPair, std::vector<const HeldFastener*>> clamped;
    for (const HeldFastener& h : held_) {
        own.insert(h.fastener.body), own.insert(h.fastener.rings.begin(), h.fastener.rings.end());
        for (const FastenerStop& a : h.stops)
            for (const FastenerStop& b : h.stops)
                if (a.body < b.body && options_.fasteners != FastenersAs::left_out && !lapped_by_plan(a.body, b.body, place(h, a.at), rules))
                    clamped[{a.body, b.body}].push_back(&h);
    }
    // Skins that the shank stands square on lie on each other under its head.
    const auto normal = [&](BodyId body, int face, const Vec3& p) {
        return face < 0 ? Vec3(Vec3::Zero()) : solids_.bodies[body.index()].faces[static_cast<std::size_t>(face)].outward_or(p, Vec3::Zero());
    };
    const auto presses = [&](const HeldFastener* h, const Contact& c, const ContactPoint& p) {
        const Vec3& z = h->fastener.axis.z;
        return std::abs(normal(c.a, p.face_a, p.place).dot(z)) > along_shank && std::abs(normal(c.b, p.face_b, p.place).dot(z)) > along_shank;
    };
    std::map<BodyPair, std::vector<ContactPoint>> pressed;
    pressed_.clear();
    for (Contact& c : contacts) {
        if (own.contains(c.a) || own.contains(c.b)) c.points.clear();
        const auto it = clamped.find({c.a, c.b});
        if (it == clamped.end()) continue;
        std::erase_if(c.points, [&](const ContactPoint& p) {
            if (std::ranges::none_of(it->second, [&](const HeldFastener* h) { return presses(h, c, p); })) return false;
            pressed[{c.a, c.b}].push_back(p), pressed_.emplace(c.a, c.b);
            return true;
        });
    }
    // The borders of what is pressed touch as well.
    for (Contact& c : contacts) {
        const auto it = pressed.find({c.a, c.b});
        if (it == pressed.end()) continue;
        const Fastener& f = clamped.at({c.a, c.b}).front()->fastener;
        std::erase_if(c.points, [&](const ContactPoint& p) {
            return p.area <= 0 && std::ranges::any_of(it->second, [&](const ContactPoint& q) {
                       const bool level = std::abs((p.place - q.place).dot(f.axis.z)) <= std::abs(p.gap) + 0.1 * f.radius;
                       return level || q.face_a == p.face_a || q.face_b == p.face_b;
                   });
        });
    }
    std::erase_if(contacts, [](const Contact& c) { return c.points.empty(); });
    return contacts;
}

void Fastening::hold(const Model& model, JoinWork& work) const {
    for (const HeldFastener& h : held_) {
        if (options_.fasteners == FastenersAs::left_out) continue;
        const Fastener& f = h.fastener;
        const Body& body = solids_.bodies[f.body.index()];
        const double length = h.member >= 0 ? model.members[static_cast<std::size_t>(h.member)].own_length() : 0;
        const double ends = std::max(0.0, body.mass.volume - pi * f.radius * f.radius * length);
        std::vector<int> head;
        for (int k = 0; k < static_cast<int>(body.faces.size()); ++k)
            if (std::ranges::find(f.shank, k) == f.shank.end()) head.push_back(k);
        CouplingWork whole{fastener_key(body), f.body, body.mass.centre, body.mass.volume, {}, {}, {}};
        for (std::size_t k = 0; k < h.stops.size(); ++k) {
            const FastenerStop& stop = h.stops[k];
            const Vec3 p = place(h, stop.at);
            const bool end = k == 0 || k + 1 == h.stops.size();
            CouplingWork own{fmt::format("{}-{}", fastener_key(body), k + 1), f.body, p, end ? 0.5 * ends : 0, {}, {}, end ? head : f.shank};
            CouplingWork& c = h.member >= 0 ? own : whole;
            const std::string other = stop.sheet >= 0    ? model.sheets[static_cast<std::size_t>(stop.sheet)].key
                                      : stop.member >= 0 ? model.members[static_cast<std::size_t>(stop.member)].key
                                                         : solids_.bodies[stop.body.index()].key;
            JointRecord j = joint_record(JointKind::fastener, fastener_key(body), f.body, other, stop.body);
            j.place = p, j.length = 2 * pi * stop.radius;
            if (add_joint(model, work, j) == -1) continue;
            if (stop.sheet >= 0) {
                const Sheet& sheet = model.sheets[static_cast<std::size_t>(stop.sheet)];
                std::vector<int> rim = rim_of(model, sheet, f.axis, stop.radius);
                if (rim.empty()) {
                    // No hole: the shank's own outline on the sheet.
                    const Curve ring = circle(f.axis, stop.at, f.radius);
                    rim.push_back(work.add_curve(foot_curve(sheet.chart, ring, work.tol)));
                    work.sheets[static_cast<std::size_t>(stop.sheet)].curves.push_back(rim.back());
                }
                for (int e : rim)
                    if (std::ranges::find(c.curves, e) == c.curves.end()) c.curves.push_back(e);
            } else if (stop.member >= 0) {
                MemberState& sm = work.members[static_cast<std::size_t>(stop.member)];
                const double at = std::clamp(sm.parameter(p), sm.start, sm.end);
                c.points.push_back(loose_station(sm, at));
            }
            if (h.member >= 0) {
                MemberState& line = work.members[static_cast<std::size_t>(h.member)];
                line.splits.push_back(std::clamp(line.parameter(p), line.start, line.end));
                work.couplings.push_back(std::move(own));
            }
        }
        if (h.member < 0) work.couplings.push_back(std::move(whole));
        for (const BodyId r : f.rings) {
            // A nut or washer moves with the nearer end.
            const Body& ring = solids_.bodies[r.index()];
            const double at = f.axis.height(ring.mass.centre);
            const FastenerStop& stop = std::abs(at - h.stops.front().at) < std::abs(at - h.stops.back().at) ? h.stops.front() : h.stops.back();
            CouplingWork c{make_key("coupling", ring.key, {}), r, h.member >= 0 ? place(h, stop.at) : body.mass.centre, ring.mass.volume, {}, {}, {}};
            c.points.push_back(c.centre);
            work.couplings.push_back(std::move(c));
        }
    }
}

void Fastening::hold_blocks(JoinWork& work) const {
    for (const HeldFastener& h : held_)
        for (const FastenerStop& stop : h.stops) {
            if (stop.sheet >= 0 || stop.member >= 0) continue;
            for (CouplingWork& c : work.couplings)
                if (c.body == stop.body && c.faces.empty() && c.volume > 0)
                    c.points.push_back(h.member >= 0 ? place(h, stop.at) : solids_.bodies[h.fastener.body.index()].mass.centre);
        }
}

void Fastening::record(Model& model) const {
    for (const HeldFastener& h : held_) {
        const Body& body = solids_.bodies[h.fastener.body.index()];
        std::vector<std::string> held;
        for (const FastenerStop& s : h.stops)
            if (const std::string& label = solids_.bodies[s.body.index()].label; std::ranges::find(held, label) == held.end()) held.push_back(label);
        const std::string as = options_.fasteners == FastenersAs::left_out ? "left out by the plan"
                               : h.member >= 0 ? fmt::format("a line of {:.1f} mm, stiff to the rim of each hole", h.stops.back().at - h.stops.front().at)
                                               : "rigid, coupled to the rim of each hole";
        model.ledger.push_back({fastener_key(body), "join", EntryKind::fastener, EntryState::applied,
                                fmt::format("{}: fastener of {:.2f} mm through {}, {}", body.label, 2 * h.fastener.radius, joined(held), as),
                                2 * h.fastener.radius, body.mass.centre, body.label});
        if (options_.fasteners == FastenersAs::left_out) {
            std::vector<BodyId> all{h.fastener.body};
            all.insert(all.end(), h.fastener.rings.begin(), h.fastener.rings.end());
            for (const BodyId b : all) {
                RootMaterial m{b, solids_.bodies[b.index()].mass.volume, {}};
                for (int f = 0; f < static_cast<int>(solids_.bodies[b.index()].faces.size()); ++f) m.faces.push_back(f);
                model.roots.push_back(std::move(m));
            }
        }
    }
    for (const Fastener& f : loose_) {
        const Body& body = solids_.bodies[f.body.index()];
        if (std::ranges::any_of(model.couplings, [&](const Coupling& c) { return c.body == f.body; })) continue;
        model.findings.push_back({own_key(make_key("finding", "not idealized", {}), body.key), FindingKind::not_idealized,
                                  fmt::format("{} is a fastener, but nothing of what it holds is in the model", body.label),
                                  "see what the findings say of the bodies round it", body.mass.centre, body.box.diagonal().norm(), body.label});
    }
    for (const auto& [a, b] : pressed_) {
        const Body &x = solids_.bodies[a.index()], &y = solids_.bodies[b.index()];
        model.ledger.push_back({make_key("touch", x.key + y.key, {}), "join", EntryKind::touch_only, EntryState::applied,
                                fmt::format("{} and {} are held by fasteners; where they lie on each other they only touch", x.label, y.label), 0,
                                x.mass.centre, x.label + " + " + y.label});
    }
}

}  // namespace halvo
