#include "view/content.hpp"

#include "core/index.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

namespace halvo::view {
namespace {

class Composer {
public:
    Composer(const Job& job, const DrawOptions& options) : job_(job), o_(options) {}

    Content run() {
        if (o_.solid) solids();
        else if (job_.mesh.elements.empty())
            throw Error(ErrorKind::usage, "the model has no mesh to draw yet; run it on with --until mesh, or draw --show solid");
        else if (o_.colour == DrawOptions::Colour::edges || o_.colour == DrawOptions::Colour::joints || o_.colour == DrawOptions::Colour::gap) edges();
        else elements();
        return std::move(out_);
    }

private:
    // ---- solids
    void solids() {
        out_.title = fmt::format("{}: the solids{}", job_.solids.file, o_.colour == DrawOptions::Colour::body ? "" : " by class");
        std::map<std::string, int> classes;
        for (std::size_t i = 0; i < job_.solids.bodies.size(); ++i) {
            const Body& b = job_.solids.bodies[i];
            const Colour c = o_.colour == DrawOptions::Colour::body ? Colour{b.colour[0], b.colour[1], b.colour[2]} : class_colour(i);
            if (i < job_.survey.bodies.size()) ++classes[class_name(job_.survey.bodies[i].kind)];
            for (const Facet& f : b.facets)
                out_.scene.triangles.push_back({b.points[ix(f.corners[0])], b.points[ix(f.corners[1])], b.points[ix(f.corners[2])], c});
            outline(b, ink, 1);
        }
        if (o_.colour != DrawOptions::Colour::body)
            for (const auto& [name, n] : classes) out_.legend.push_back({fmt::format("{} {}", n, name), "", class_colour(name), 1, false, true});
        else out_.legend.push_back({"colours of the file", "", neutral, 1, false, true});
        const Vec3 d = job_.solids.box.sizes();
        out_.captions.push_back(
            fmt::format("{} bodies, {:.0f} x {:.0f} x {:.0f} mm, file unit {}", job_.solids.bodies.size(), d.x(), d.y(), d.z(), job_.solids.unit));
        out_.captions.push_back("centre of the box at " + place_text(job_.solids.box.center(), job_.solids.shift));
    }

    Colour class_colour(std::size_t body) const { return body < job_.survey.bodies.size() ? class_colour(class_name(job_.survey.bodies[body].kind)) : neutral; }
    static Colour class_colour(const std::string& name) {
        static const std::map<std::string, int> order = {{"thin", 0}, {"slender", 1}, {"mixed", 2}, {"bulk", 3}, {"open", 4}};
        return category(order.at(name));
    }

    void outline(const Body& b, const Colour& c, double width) {
        for (const BodyEdge& e : b.edges)
            if (!e.degenerate) out_.scene.lines.push_back({e.curve.sampled(0.2, 12), c, width, false, false});
    }

    // ---- shells and beams with a field
    void elements() {
        const bool quality = o_.colour == DrawOptions::Colour::quality;
        Scale s{quality ? "scaled Jacobian" : "thickness", quality ? "1 is best" : "mm", 0, 1, {}};
        if (!quality) {
            std::set<double> values;
            for (const Element& e : job_.mesh.elements)
                if (e.kind == ElementKind::shell) values.insert(std::round(e.thickness * 1e4) / 1e4);
            if (!values.empty()) s.low = *values.begin(), s.high = *values.rbegin();
            s.values.assign(values.begin(), values.end());
            if (s.high - s.low < 1e-9) s.low = 0;
        }
        const bool by_body = o_.colour == DrawOptions::Colour::body;
        const auto colour = [&](const Element& e) {
            if (by_body) return category(e.body.value);
            const double v = quality ? e.quality : e.thickness;
            return field((v - s.low) / (s.high - s.low));
        };
        for (const Element& e : job_.mesh.elements)
            if (e.kind == ElementKind::shell) shell(e, colour(e));
        if (o_.real_thickness) real_members();
        else lines();
        if (o_.mesh_lines) mesh_lines();
        else if (!o_.real_thickness) sheet_outlines();
        if (o_.real_thickness) {
            for (const Body& b : job_.solids.bodies) outline(b, ink, 1);
            out_.legend.push_back({"outline of the solids", "", ink, 1, false, false});
        }
        if (!by_body) out_.scale = s;
        titles(quality, by_body);
        extremes(quality);
    }

    void titles(bool quality, bool by_body) {
        const std::string what = quality ? "mesh quality" : by_body ? "bodies" : o_.real_thickness ? "real thickness and sections" : "thickness";
        out_.title = fmt::format("{}: {}", job_.solids.file, what);
    }

    const Vec3& node(const Element& e, std::size_t k) const { return job_.mesh.nodes[ix(e.nodes[k])]; }

    Vec3 centre(const Element& e) const {
        Vec3 c = Vec3::Zero();
        for (std::size_t k = 0; k < e.count; ++k) c += node(e, k) / e.count;
        return c;
    }

    void face(const std::vector<Vec3>& p, const Colour& c) {
        for (std::size_t k = 1; k + 1 < p.size(); ++k) out_.scene.triangles.push_back({p[0], p[k], p[k + 1], c});
    }

    void shell(const Element& e, const Colour& c) {
        std::vector<Vec3> mid;
        for (std::size_t k = 0; k < e.count; ++k) mid.push_back(node(e, k));
        if (!o_.real_thickness) {
            face(mid, c);
            return;
        }
        const Sheet& s = job_.model.sheets[ix(e.sheet)];
        std::vector<Vec3> top, bottom;
        for (const Vec3& p : mid) {
            const auto sides = s.field.sides(s.chart, s.chart.local2(p));
            const Vec3 n = s.chart.normal(p);
            top.push_back(p + sides.up * n), bottom.push_back(p - sides.down * n);
        }
        face(top, c), face(bottom, c);
        for (std::size_t k = 0; k < e.count; ++k) {
            const auto key = std::tuple(e.sheet.value, std::min(e.nodes[k], e.nodes[(k + 1) % e.count]), std::max(e.nodes[k], e.nodes[(k + 1) % e.count]));
            if (sides().at(key) == 1) face({bottom[k], bottom[(k + 1) % e.count], top[(k + 1) % e.count], top[k]}, c);
        }
    }

    // Number of elements of one sheet on each element edge; 1 at its boundary.
    const std::map<std::tuple<int, int, int>, int>& sides() {
        if (sides_.empty())
            for (const Element& e : job_.mesh.elements)
                if (e.kind == ElementKind::shell)
                    for (std::size_t k = 0; k < e.count; ++k)
                        ++sides_[{e.sheet.value, std::min(e.nodes[k], e.nodes[(k + 1) % e.count]), std::max(e.nodes[k], e.nodes[(k + 1) % e.count])}];
        return sides_;
    }

    void real_members() {
        for (const Element& e : job_.mesh.elements) {
            if (e.kind != ElementKind::beam || !e.section) continue;
            const Member& m = job_.model.members[ix(e.member)];
            // Across each node, so that the skins of neighbours meet in bends.
            const Frame first = m.axis.frame(m.axis.parameter(node(e, 0))), last = m.axis.frame(m.axis.parameter(node(e, 1)));
            for (const auto& loop : job_.model.sections[ix(e.section)].profile)
                for (const Curve& c : loop) {
                    const auto pts = c.sampled(0.05, 6);
                    for (std::size_t i = 0; i + 1 < pts.size(); ++i) {
                        const auto at = [&](std::size_t k, const Frame& f, const Vec3& p) {
                            return Vec3(node(e, k) + (p.x() + m.offset.x()) * f.x + (p.y() + m.offset.y()) * f.y);
                        };
                        face({at(0, first, pts[i]), at(1, last, pts[i]), at(1, last, pts[i + 1]), at(0, first, pts[i + 1])}, neutral);
                    }
                }
        }
        if (!job_.model.members.empty()) out_.legend.push_back({"members, with section", "", neutral, 1, false, true});
    }

    void lines() {
        bool beams = false, links = false;
        for (const Element& e : job_.mesh.elements) {
            if (e.kind == ElementKind::beam) out_.scene.lines.push_back({{node(e, 0), node(e, 1)}, member_line, 4, false, true}), beams = true;
            if (e.kind == ElementKind::rigid) out_.scene.lines.push_back({{node(e, 0), node(e, 1)}, link_line, 2.5, true, true}), links = true;
        }
        for (const TiedNode& t : job_.mesh.ties) {
            const Vec3& p = job_.mesh.nodes[ix(t.node)];
            out_.scene.lines.push_back({{p, p - t.arm}, tie_line, 2.5, true, true});
        }
        if (!job_.mesh.ties.empty()) out_.legend.push_back({"tie", "", tie_line, 2.5, true, false});
        if (beams) out_.legend.push_back({"member", "", member_line, 4, false, false});
        if (links) out_.legend.push_back({"rigid link", "", link_line, 2.5, true, false});
    }

    void mesh_lines() {
        std::set<std::pair<int, int>> seen;
        for (const Element& e : job_.mesh.elements)
            if (e.kind == ElementKind::shell)
                for (std::size_t k = 0; k < e.count; ++k)
                    if (seen.insert(std::minmax(e.nodes[k], e.nodes[(k + 1) % e.count])).second)
                        out_.scene.lines.push_back({{node(e, k), node(e, (k + 1) % e.count)}, ink, 0.8, false, false});
        if (!job_.model.members.empty())
            for (const Element& e : job_.mesh.elements)
                if (e.kind == ElementKind::beam)
                    for (std::size_t k : {0U, 1U}) {
                        const Vec3 d = (node(e, 1 - k) - node(e, k)) * 0.06;
                        out_.scene.lines.push_back({{node(e, k), node(e, k) + d}, paper, 4, false, true});
                    }
    }

    void sheet_outlines() {
        const auto at = sheets_at_edges(job_.model);
        for (std::size_t e = 0; e < at.size(); ++e)
            if (!at[e].empty()) out_.scene.lines.push_back({job_.model.edges[e].curve.sampled(0.2, 12), ink, 1, false, false});
    }

    void extremes(bool quality) {
        const Element *low = nullptr, *high = nullptr;
        for (const Element& e : job_.mesh.elements) {
            if (e.kind != ElementKind::shell) continue;
            const auto v = [&](const Element& k) { return quality ? k.quality : k.thickness; };
            if (!low || v(e) < v(*low)) low = &e;
            if (!high || v(e) > v(*high)) high = &e;
        }
        const Mesh& m = job_.mesh;
        const std::string counts = fmt::format("{} nodes, {} quads, {} trias, {} lines, {} links; {} connected {}", m.nodes.size(), m.quads, m.trias, m.lines,
                                               m.links, m.parts, m.parts == 1 ? "part" : "parts");
        if (!low) {
            out_.captions.push_back(counts);
            return;
        }
        const Vec3& shift = job_.solids.shift;
        if (quality) {
            out_.captions.push_back(fmt::format("worst scaled Jacobian {:.3f} at {}; mean {:.3f}; {:.1f} % quads", low->quality,
                                                place_text(centre(*low), shift), m.quality.mean_scaled_jacobian, 100 * m.quality.quad_share));
            out_.marks.push_back({centre(*low), fmt::format("worst {:.2f}", low->quality)});
        } else {
            out_.captions.push_back(fmt::format("thinnest {:.3f} mm at {}; thickest {:.3f} mm at {}", low->thickness, place_text(centre(*low), shift),
                                                high->thickness, place_text(centre(*high), shift)));
        }
        out_.captions.push_back(counts);
    }

    // ---- edges by number of sheet sides
    void edges() {
        for (const Element& e : job_.mesh.elements)
            if (e.kind == ElementKind::shell) shell(e, neutral.towards(paper, 0.35));
        const auto sides = sides_at_edges(job_.model);
        double length[4] = {0, 0, 0, 0};
        const Edge* longest = nullptr;
        std::set<int> member_edges;
        for (const Member& m : job_.model.members)
            for (const EdgeUse& u : m.chain) member_edges.insert(u.edge.value);
        for (std::size_t i = 0; i < sides.size(); ++i) {
            if (sides[i] == 0) continue;
            const int k = std::clamp(sides[i], 1, 4) - 1;
            const Edge& e = job_.model.edges[i];
            const double l = e.curve.length();
            length[k] += l;
            if (k == 0 && (!longest || l > longest->curve.length())) longest = &e;
            static const Colour colours[] = {free_edge, shared_edge, three_sheets, four_sheets};
            static const double widths[] = {3.2, 1, 2.4, 2.4};
            out_.scene.lines.push_back({e.curve.sampled(0.2, 12), colours[k], widths[k], false, k != 1});
        }
        out_.legend.push_back({"free edge", fmt::format("{:.0f} mm", length[0]), free_edge, 3.2, false, false});
        out_.legend.push_back({"two sides", fmt::format("{:.0f} mm", length[1]), shared_edge, 1, false, false});
        out_.legend.push_back({"three sides (tee)", fmt::format("{:.0f} mm", length[2]), three_sheets, 2.4, false, false});
        out_.legend.push_back({"four and more (cross)", fmt::format("{:.0f} mm", length[3]), four_sheets, 2.4, false, false});
        lines();
        out_.title = fmt::format("{}: edges by number of sheet sides", job_.solids.file);
        if (o_.colour == DrawOptions::Colour::joints) number_joints();
        if (longest)
            out_.captions.push_back(
                fmt::format("longest free edge {:.0f} mm, its middle at {}", longest->curve.length(), place_text(longest->curve.middle(), job_.solids.shift)));
        const Parts parts = connected_parts(job_.model);
        out_.captions.push_back(fmt::format("{} sheets, {} members, {} joints; {} connected {}", job_.model.sheets.size(), job_.model.members.size(),
                                            job_.model.joints.size(), parts.count, parts.count == 1 ? "part" : "parts"));
    }

    // Numbers of `halvo list MODEL joints`, with the gap that was closed or, at refused ones, stays; widest gaps first where there are many.
    void number_joints() {
        constexpr std::size_t most = 40;
        const auto& joints = job_.model.joints;
        std::vector<std::size_t> order(joints.size());
        std::iota(order.begin(), order.end(), std::size_t{0});
        std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
            const auto open = [&](std::size_t i) { return joints[i].state == EntryState::refused; };
            return open(a) != open(b) ? open(a) : joints[a].gap > joints[b].gap + 1e-6;
        });
        for (std::size_t k = 0; k < std::min(order.size(), most); ++k) {
            const JointRecord& j = joints[order[k]];
            std::string text = std::to_string(order[k]);
            if (j.state == EntryState::refused) text += " refused";
            else if (j.gap > 0.005) text += fmt::format(": {:.2f} mm closed", j.gap);
            out_.marks.push_back({j.place, text});
        }
        out_.title = fmt::format("{}: joints, numbered as in the list", job_.solids.file);
        if (order.size() > most) out_.captions.push_back(fmt::format("{} of {} joints numbered, refused ones and widest gaps first", most, order.size()));
    }

    const Job& job_;
    const DrawOptions& o_;
    Content out_;
    std::map<std::tuple<int, int, int>, int> sides_;
};

}  // namespace

Content compose(const Job& job, const DrawOptions& options) {
    return Composer(job, options).run();
}

}  // namespace halvo::view
