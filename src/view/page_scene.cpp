#include "view/page_scene.hpp"

#include "core/index.hpp"
#include "solve/figures.hpp"
#include "solve/held.hpp"
#include "view/arrows.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>
#include <span>

namespace halvo::view {
namespace {

constexpr double page_chord_angle = 0.2;             // of drawn curves (rad): as in figures
constexpr std::size_t most_stress_values = 3000000;  // of all cases: beyond this von Mises alone is packed, for the page's size

class ScenePacker {
public:
    ScenePacker(Pack& pack, const Job& job) : pack_(pack), job_(job), origin_(job.solids.box.isEmpty() ? Vec3::Zero() : Vec3(job.solids.box.center())) {}

    Json run() {
        Json out;
        out["origin"] = triple(origin_ + job_.solids.shift);
        const Vec3 size = job_.solids.box.isEmpty() ? Vec3(Vec3::Zero()) : Vec3(job_.solids.box.sizes());
        out["size"] = triple(size);
        solids("solid", job_.solids);
        if (job_.before_strip) solids("before", job_.before_strip->solids);
        if (job_.as_read) solids("read", job_.as_read->solids);
        mesh();
        edges();
        if (!job_.solution.nodes.empty()) results(out), supports();
        return out;
    }

private:
    static Json triple(const Vec3& v) { return Json::array({v.x(), v.y(), v.z()}); }
    void put(std::vector<float>& to, const Vec3& p) const {
        const Vec3 q = p - origin_;
        for (int k = 0; k < 3; ++k) to.push_back(static_cast<float>(q[k]));
    }
    static void put_direction(std::vector<float>& to, const Vec3& d) {
        for (int k = 0; k < 3; ++k) to.push_back(static_cast<float>(d[k]));
    }

    void solids(const std::string& name, const Assembly& solids) {
        std::vector<float> points, lines;
        std::vector<std::uint32_t> corners, face, face_body, line_start, line_body;
        std::vector<std::uint8_t> bare;
        for (std::size_t b = 0; b < solids.bodies.size(); ++b) {
            const Body& body = solids.bodies[b];
            const auto first_point = static_cast<std::uint32_t>(points.size() / 3), first_face = static_cast<std::uint32_t>(face_body.size());
            for (const Vec3& p : body.points) put(points, p);
            face_body.insert(face_body.end(), body.faces.size(), static_cast<std::uint32_t>(b));
            const std::size_t first_facet = face.size();
            for (const Facet& f : body.facets) {
                for (const int c : f.corners) corners.push_back(first_point + static_cast<std::uint32_t>(c));
                face.push_back(first_face + static_cast<std::uint32_t>(std::max(f.face, 0)));
            }
            bare.resize(face.size());
            if (&solids == &job_.solids)
                for (const UncoveredPatch& p : job_.proof.uncovered)
                    if (p.body == BodyId(b))
                        for (const int f : p.facets)
                            if (f >= 0 && first_facet + ix(f) < bare.size()) bare[first_facet + ix(f)] = 1;
            for (const BodyEdge& e : body.edges) {
                if (e.degenerate) continue;
                line_start.push_back(static_cast<std::uint32_t>(lines.size() / 3)), line_body.push_back(static_cast<std::uint32_t>(b));
                for (const Vec3& p : e.curve.sampled(page_chord_angle, 12)) put(lines, p);
            }
        }
        pack_.add(name + ".point", points), pack_.add(name + ".corner", corners), pack_.add(name + ".face", face), pack_.add(name + ".face_body", face_body);
        pack_.add(name + ".line", lines), pack_.add(name + ".line_start", line_start), pack_.add(name + ".line_body", line_body);
        if (&solids == &job_.solids) pack_.add(name + ".bare", bare);
    }

    // Corners of shells are (sheet, node) pairs: figures jump from sheet to sheet.
    void mesh() {
        const Mesh& m = job_.mesh;
        std::vector<float> nodes, thickness, offset, quality, beam_axes, beam_offset;
        for (const Vec3& p : m.nodes) put(nodes, p);
        std::map<std::pair<std::int32_t, std::int32_t>, std::uint32_t> corner_of;
        std::vector<std::uint32_t> corner_node, shell, shell_element, beam, beam_element, link;
        std::vector<std::int32_t> sheet, body, member;
        for (std::size_t i = 0; i < m.elements.size(); ++i) {
            const Element& e = m.elements[i];
            if (e.kind == ElementKind::shell) {
                for (std::size_t k = 0; k < 4; ++k) {
                    if (k >= e.count) {
                        shell.push_back(std::numeric_limits<std::uint32_t>::max());
                        continue;
                    }
                    const auto [it, fresh] = corner_of.try_emplace({e.sheet.value, e.nodes[k]}, static_cast<std::uint32_t>(corner_node.size()));
                    if (fresh) corner_node.push_back(static_cast<std::uint32_t>(e.nodes[k])), corners_.push_back(it->first);
                    shell.push_back(it->second);
                }
                shell_element.push_back(static_cast<std::uint32_t>(i)), sheet.push_back(e.sheet.value), body.push_back(e.body.value);
                thickness.push_back(static_cast<float>(e.thickness)), offset.push_back(static_cast<float>(e.offset));
                quality.push_back(static_cast<float>(e.quality));
                continue;
            }
            auto& to = e.kind == ElementKind::beam ? beam : link;
            to.push_back(static_cast<std::uint32_t>(e.nodes[0])), to.push_back(static_cast<std::uint32_t>(e.nodes[1]));
            if (e.kind != ElementKind::beam) continue;
            beam_element.push_back(static_cast<std::uint32_t>(i)), member.push_back(e.member.value);
            const Member& k = job_.model.members[ix(e.member)];
            for (std::size_t end = 0; end < 2; ++end) {
                const Frame f = k.axis.frame(k.axis.parameter(m.nodes[ix(e.nodes[end])]));
                put_direction(beam_axes, f.x), put_direction(beam_axes, f.y);
            }
            put_direction(beam_offset, e.section_offset);
        }
        pack_.add("node", nodes), pack_.add("corner.node", corner_node);
        pack_.add("shell", shell), pack_.add("shell.element", shell_element), pack_.add("shell.sheet", sheet), pack_.add("shell.body", body);
        pack_.add("shell.thickness", thickness), pack_.add("shell.offset", offset), pack_.add("shell.quality", quality);
        pack_.add("beam", beam), pack_.add("beam.element", beam_element), pack_.add("beam.member", member), pack_.add("beam.axes", beam_axes);
        pack_.add("beam.offset", beam_offset), pack_.add("link", link);
        std::vector<float> ties;
        for (const TiedNode& t : m.ties) put(ties, m.nodes[ix(t.node)]), put(ties, m.nodes[ix(t.node)] - t.arm);
        pack_.add("tie", ties);
        measures_of_shells();
    }

    void measures_of_shells() {
        std::vector<float> aspect, warpage, skew, taper;
        for (const Element& e : job_.mesh.elements) {
            if (e.kind != ElementKind::shell) continue;
            const ElementMeasures k = measures(job_.mesh, e);
            aspect.push_back(static_cast<float>(k.aspect)), warpage.push_back(static_cast<float>(k.warpage)), skew.push_back(static_cast<float>(k.skew));
            taper.push_back(static_cast<float>(k.taper));
        }
        pack_.add("shell.aspect", aspect), pack_.add("shell.warpage", warpage), pack_.add("shell.skew", skew), pack_.add("shell.taper", taper);
    }

    void edges() {
        std::vector<float> lines;
        std::vector<std::uint32_t> start;
        std::vector<std::int32_t> sheet;
        std::vector<std::uint8_t> sides;
        const std::vector<int> count = sides_at_edges(job_.model);
        const auto at = sheets_at_edges(job_.model);
        for (std::size_t i = 0; i < count.size(); ++i) {
            if (count[i] == 0) continue;
            start.push_back(static_cast<std::uint32_t>(lines.size() / 3)), sides.push_back(static_cast<std::uint8_t>(std::min(count[i], 9)));
            sheet.push_back(at[i].empty() ? -1 : at[i].front().sheet.value);
            for (const Vec3& p : job_.model.edges[i].curve.sampled(page_chord_angle, 12)) put(lines, p);
        }
        pack_.add("edge", lines), pack_.add("edge.start", start), pack_.add("edge.sides", sides), pack_.add("edge.sheet", sheet);
    }

    // In steps of a 32767th of the largest displacement; finer than a pixel of any picture of them.
    void displacement(const std::string& name, const Eigen::VectorXd& movement, Json& scale) {
        double most = 0;
        const std::size_t n = job_.mesh.nodes.size();
        const auto of = [&](std::size_t i) { return Vec3(movement.segment<3>(6 * static_cast<Eigen::Index>(i))); };
        for (std::size_t i = 0; i < n; ++i) most = std::max(most, of(i).cwiseAbs().maxCoeff());
        std::vector<std::int16_t> v;
        for (std::size_t i = 0; i < n; ++i)
            for (int k = 0; k < 3; ++k) v.push_back(most > 0 ? static_cast<std::int16_t>(std::lround(32767 * of(i)[k] / most)) : std::int16_t{0});
        pack_.add(name, v);
        scale = most / 32767;
    }

    void stress(const std::string& name, const CaseResult& c, Json& out, bool all) {
        const Solution& s = job_.solution;
        const auto shell = [&](std::size_t i) -> const Element& { return job_.mesh.elements[ix(s.shell_elements[i])]; };
        const SheetStress mean(
            c.shells, [&](std::size_t i) { return shell(i).sheet.value; },
            [&](std::size_t i) { return std::span<const std::int32_t>(shell(i).nodes.data(), shell(i).count); });
        struct Field {
            const char* name;
            std::size_t side;
            int kind;  // 0: von Mises, 1: largest, 2: least principal
        };
        constexpr std::array<Field, 6> fields{
            {{"mises_top", 0, 0}, {"mises_bottom", 1, 0}, {"first_top", 0, 1}, {"first_bottom", 1, 1}, {"third_top", 0, 2}, {"third_bottom", 1, 2}}};
        for (const Field& f : fields) {
            if (f.kind > 0 && !all) continue;
            std::vector<double> values;
            double low = 0, high = 0;
            for (const auto& [sheet, node] : corners_) {
                const Stress& t = mean.at(sheet, node)[f.side];
                values.push_back(f.kind == 0 ? von_mises(t) : principal(t).values[f.kind == 1 ? 0 : 2]);
                low = std::min(low, values.back()), high = std::max(high, values.back());
            }
            std::vector<std::uint16_t> steps;
            for (const double v : values)
                steps.push_back(high > low ? static_cast<std::uint16_t>(std::lround(65535 * (v - low) / (high - low))) : std::uint16_t{0});
            pack_.add(name + "." + f.name, steps);
            out[f.name] = {low, high};
        }
    }

    void results(Json& out) {
        const Solution& s = job_.solution;
        const bool all = corners_.size() * s.cases.size() * 6 <= most_stress_values;
        out["cases"] = Json::array(), out["modes"] = Json::array(), out["principal_packed"] = all;
        std::vector<std::int32_t> beams;
        std::map<std::int32_t, std::int32_t> number;
        for (std::size_t i = 0; i < s.beam_elements.size(); ++i) number[s.beam_elements[i]] = static_cast<std::int32_t>(i);
        for (std::size_t i = 0; i < job_.mesh.elements.size(); ++i)
            if (job_.mesh.elements[i].kind == ElementKind::beam) {
                const auto it = number.find(static_cast<std::int32_t>(i));
                beams.push_back(it == number.end() ? -1 : it->second);
            }
        for (std::size_t k = 0; k < s.cases.size(); ++k) {
            const CaseResult& c = s.cases[k];
            const std::string name = fmt::format("case{}", k);
            Json one{{"name", c.name}};
            displacement(name + ".move", c.movement, one["scale"]);
            stress(name, c, one, all);
            std::vector<float> forces;
            for (const std::int32_t b : beams)
                for (std::size_t end = 0; end < 2; ++end)
                    for (int f = 0; f < 6; ++f) forces.push_back(b < 0 ? 0.0F : static_cast<float>(c.beams[ix(b)].force[end][f]));
            pack_.add(name + ".beam", forces);
            std::vector<float> beam_mises;
            for (const std::int32_t b : beams)
                for (std::size_t end = 0; end < 2; ++end) beam_mises.push_back(b < 0 ? 0.0F : static_cast<float>(c.beams[ix(b)].von_mises[end]));
            pack_.add(name + ".beam_mises", beam_mises);
            arrows(name + ".applied", c.applied), arrows(name + ".reaction", c.reaction);
            out["cases"].push_back(std::move(one));
        }
        for (std::size_t k = 0; k < s.modes.size(); ++k) {
            Json one{{"frequency", s.modes[k].frequency}};
            displacement(fmt::format("mode{}.move", k), s.modes[k].movement, one["scale"]);
            out["modes"].push_back(std::move(one));
        }
    }

    // None for a model file whose plan this version does not understand.
    [[nodiscard]] std::vector<HeldPlace> held() const {
        try {
            return held_places(job_.model, job_.mesh, solve_options(job_.plan), job_.plan.join);
        } catch (const Error&) {
            return {};
        }
    }

    // Place, direction and kind (0 held, 1 sprung, 2 held against turning) in turn; of each support one mark for what lies close together.
    void supports() {
        constexpr double cells = 45;  // over the model: denser marks hide each other
        const double size = job_.solids.box.isEmpty() ? 0 : job_.solids.box.diagonal().norm();
        std::vector<float> v;
        std::set<std::array<long, 4>> taken;
        for (const HeldPlace& p : held()) {
            const Vec3 cell = (p.at - origin_) * (cells / std::max(size, 1e-300));
            if (!taken.insert({static_cast<long>(p.support), std::lround(cell.x()), std::lround(cell.y()), std::lround(cell.z())}).second) continue;
            const auto mark = [&](const Vec3& d, float kind) { put(v, p.at), put_direction(v, d), v.push_back(kind); };
            for (const auto& [d, by] : p.how.moves) mark(d, 0);
            for (const Vec3& d : p.how.springs) mark(d, 1);
            if (p.how.turns) mark(Vec3::Zero(), 2);
        }
        pack_.add("support", v);
    }

    // Place, force, moment in turn.
    void arrows(const std::string& name, const Eigen::VectorXd& forces) {
        std::vector<float> v;
        for (const ForceArrow& a : force_arrows(job_.solution.nodes, forces, job_.solids.box.isEmpty() ? 0 : job_.solids.box.diagonal().norm()))
            put(v, a.place), put_direction(v, a.force), put_direction(v, a.moment);
        pack_.add(name, v);
    }

    Pack& pack_;
    const Job& job_;
    Vec3 origin_;
    std::vector<std::pair<std::int32_t, std::int32_t>> corners_;
};

}  // namespace

Json pack_scene(Pack& pack, const Job& job) {
    return ScenePacker(pack, job).run();
}

}  // namespace halvo::view
