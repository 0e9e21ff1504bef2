#include <halvo/halve.hpp>

#include "body/fasteners.hpp"
#include "body/skin.hpp"
#include "core/keys.hpp"
#include "core/parallel.hpp"
#include "halve/body_sheets.hpp"
#include "halve/fused_frames.hpp"
#include "halve/loose_sheets.hpp"
#include "halve/patches.hpp"
#include "model/references.hpp"
#include "model/shapes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

Finding not_idealized(const Body& b, const std::string& why, const std::string& advice) {
    return {make_key("finding", "not idealized", {}),
            FindingKind::not_idealized,
            fmt::format("{} has no sheet and no member: {}", b.label, why),
            advice,
            b.mass.centre,
            b.box.diagonal().norm(),
            b.label};
}

// Line and section of a slender body. The sense of the line is chosen so that the product of inertia is not negative,
// then so that it starts nearer to the middle of the assembly: both do not depend on where the part stands.
void add_member_of(Model& model, const Body& body, BodyId id, Prism p, const Vec3& centre) {
    Section s;
    s.profile = p.profile;
    fill_area_values(s);
    const double noise = 1e-9 * (s.iyy + s.izz);
    const Vec3 a = p.axis.at(0), b = p.axis.at(p.length());
    const bool turn = s.iyz < -noise || (std::abs(s.iyz) <= noise && (a - centre).norm() > (b - centre).norm() * (1 + 1e-9));
    if (turn) {
        // Half a turn about y: x (section y) and z flip, so loops flip about the section's z axis.
        Eigen::Isometry3d m = Eigen::Isometry3d::Identity();
        m.linear().diagonal() << -1, 1, -1;
        for (auto& loop : p.profile) {
            for (Curve& c : loop) c = c.moved(m).reversed();
            std::reverse(loop.begin(), loop.end());
        }
        p.axis = p.axis.reversed();
    }
    s.profile = p.profile;
    fill_area_values(s);
    name_shape(s);
    s.key = make_key("section", s.shape, {std::sqrt(s.area), std::pow(s.i1, 0.25), std::pow(s.i2, 0.25), s.depth});
    auto known = std::find_if(model.sections.begin(), model.sections.end(), [&](const Section& k) { return k.key == s.key; });
    if (known == model.sections.end()) {
        const std::string key = s.key;
        s = section_of_profile(s.profile);
        s.key = key;
        model.sections.push_back(s);
        known = model.sections.end() - 1;
    }
    Member m;
    m.body = id;
    m.section = SectionId(static_cast<std::size_t>(known - model.sections.begin()));
    m.axis = p.axis;
    const double length = m.own_length();
    for (std::size_t f = 0; f < p.lateral.size(); ++f)
        if (!p.lateral[f]) {
            const Face& face = body.faces[f];
            Vec3 c = Vec3::Zero();
            for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
                for (int k : body.facets[i].corners) c += body.points[static_cast<std::size_t>(k)] / (3.0 * static_cast<double>(face.facet_count));
            const double at = m.axis.parameter(c);
            if (at < 0.15 * length) m.end_faces[0].push_back(static_cast<int>(f));
            if (at > 0.85 * length) m.end_faces[1].push_back(static_cast<int>(f));
        }
    m.key = make_key("member", body.key, {length});
    const auto line = m.axis.between(0, length);
    const VertexId first(model.vertices.size());
    VertexId from = first;
    model.vertices.push_back({line.front().start()});
    for (std::size_t k = 0; k < line.size(); ++k) {
        // A ring ends where it starts.
        const bool closes = k + 1 == line.size() && k > 0 && m.axis.closed(10 * model.tolerance.point);
        const VertexId to = closes ? first : VertexId(model.vertices.size());
        if (!closes) model.vertices.push_back({line[k].end()});
        model.edges.push_back({line[k], {from, to}});
        m.chain.push_back({EdgeId(model.edges.size() - 1), false});
        from = to;
    }
    model.ledger.push_back({m.key, "halve", EntryKind::member, EntryState::applied,
                            fmt::format("{} as a {} beam line of {:.2f} mm with a {} section", body.label, m.axis.is_straight() ? "straight" : "bent", length,
                                        model.sections[m.section.index()].shape),
                            length, m.axis.at(0.5 * length), body.label});
    if (p.filled < 0.995)
        model.findings.push_back(
            {make_key("finding", "member openings " + body.key, {}), FindingKind::member_openings,
             fmt::format("{}: holes or copes take {:.1f} % of the profile times length; the section is taken whole", body.label, 100 * (1 - p.filled)),
             "set halve.slender = \"shells\" to keep them", body.mass.centre, length, body.label});
    model.members.push_back(std::move(m));
}

// What was made of one body, for it or another body that is the same part in another place. Ids are its own.
Model placed(Model part, const Eigen::Isometry3d& m, BodyId id, const Body& body, const std::string& halved_as) {
    const auto own = [&](std::string& key) { key = own_key(key, body.key); };
    const auto renamed = [&](std::string& text) {
        if (text.rfind(halved_as, 0) == 0) text.replace(0, halved_as.size(), body.label);
    };
    const bool stays = m.matrix() == Eigen::Matrix4d::Identity();
    if (!stays) {
        for (Vertex& v : part.vertices) v.point = m * v.point;
        for (Edge& e : part.edges) e.curve = e.curve.moved(m);
    }
    for (Sheet& s : part.sheets) {
        own(s.key), own(s.wall);
        s.body = id;
        if (stays) continue;
        s.chart = s.chart.moved(m);
        for (ThicknessPiece& p : s.field.pieces) p.top = p.top.moved(m), p.bottom = p.bottom.moved(m);
    }
    for (Coupling& c : part.couplings) own(c.key), c.body = id;
    for (RootMaterial& r : part.roots) r.body = id;
    for (LedgerEntry& e : part.ledger) own(e.key), renamed(e.about), e.place = m * e.place, e.body = body.label;
    for (Finding& f : part.findings) own(f.key), renamed(f.about), f.place = m * f.place, f.body = body.label;
    return part;
}

// Appends a body's own model to the whole.
void append(Model& to, Model&& from) {
    const int vertices = static_cast<int>(to.vertices.size()), edges = static_cast<int>(to.edges.size()), sheets = static_cast<int>(to.sheets.size());
    each_vertex_reference(from, [&](VertexId& v) { v.value += vertices; });
    each_edge_reference(from, [&](EdgeId& e) { e.value += edges; });
    each_sheet_reference(from, [&](SheetId& s) { s.value += sheets; });
    const auto add = [](auto& list, auto&& more) { list.insert(list.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end())); };
    add(to.vertices, from.vertices), add(to.edges, from.edges), add(to.sheets, from.sheets);
    add(to.links, from.links), add(to.edge_links, from.edge_links), add(to.ties, from.ties), add(to.couplings, from.couplings);
    add(to.roots, from.roots), add(to.findings, from.findings), add(to.ledger, from.ledger);
}

// How far the sheets of a body are from its volume, as a share of it, and one more for each further part that they fall into.
double miss_of(const Model& model, const Body& body) {
    double volume = 0;
    for (const Sheet& s : model.sheets) volume += s.own_area() * s.thickness.mean;
    return std::abs(volume / body.mass.volume - 1) + std::max(0, connected_parts(model).count - 1);
}

bool misses(const Model& model, const Body& body) {
    constexpr double much = 0.03;
    const bool lost = std::ranges::any_of(model.findings, [](const Finding& f) { return f.kind == FindingKind::wall_without_sheet; });
    return lost && miss_of(model, body) > much;
}

Model halve_body(const Assembly& solids, std::size_t id, const HalveOptions& options, const WallRules& rules, std::optional<Prism>& member) {
    const Body& body = solids.bodies[id];
    Model out;
    out.tolerance = solids.tolerance;
    const double tol = solids.tolerance.point;
    const WallLimits limits{options.survey.thinnest, options.survey.thickest, options.draft, options.slimness, options.steps == StepsAs::continuous};
    const Skin skin = analyse_skin(body, probe(body, tol), limits);
    const Build build = classify(body, skin, options.survey.slender, options.survey.flat, tol);
    if (build.kind == BodyClass::open) {
        if (options.thickness) surfaces_as_sheets(out, solids, BodyId(id), *options.thickness);
        else
            out.findings.push_back(
                not_idealized(body, "its skin is not closed",
                              "close the skin in CAD, give halve.thickness to take its surfaces as sheets, or leave it out with source.body"));
        return out;
    }
    const std::vector<NamedFaces> named = rules.named(BodyId(id));
    const bool by_hand = std::any_of(named.begin(), named.end(), [](const NamedFaces& n) { return !n.refuse; });
    if (build.kind == BodyClass::slender && options.slender == SlenderAs::beams && !by_hand) {
        member = build.prism;
        return out;
    }
    if (build.kind == BodyClass::bulk && build.thin_share < 0.05 && !by_hand) {
        out.findings.push_back(not_idealized(body, "it is bulk (" + build.why + ")", "leave it out with source.body, or model it apart"));
        return out;
    }
    const auto thick = halve_into_sheets(out, solids, BodyId(id), skin, find_walls(body, skin, limits, tol, named), rules, options);
    if (!thick.empty()) {
        // Solid regions as sheets: once more, with the faces that bound them as opposed ones. Where they could be rigid instead, only if
        // the sheets then hang together as well.
        std::vector<NamedFaces> more = named;
        more.insert(more.end(), thick.begin(), thick.end());
        Model with;
        with.tolerance = solids.tolerance;
        halve_into_sheets(with, solids, BodyId(id), skin, find_walls(body, skin, limits, tol, more), rules, options);
        const bool as_good = with.findings.size() <= out.findings.size() && connected_parts(with).count <= connected_parts(out).count;
        if (as_good || options.bulk == BulkAs::sheet) out = std::move(with);
    }
    if (options.method == MidMethod::automatic && misses(out, body)) {
        // Equal distance could not be had everywhere, between free surfaces that run differently: half-way from one of them, then, if more
        // comes of that.
        HalveOptions moved = options;
        moved.method = MidMethod::offset;
        const WallRules same(moved, solids);
        Model other;
        other.tolerance = solids.tolerance;
        (void)halve_into_sheets(other, solids, BodyId(id), skin, find_walls(body, skin, limits, tol, named), same, moved);
        if (miss_of(other, body) < 0.5 * miss_of(out, body)) out = std::move(other);
    }
    for (const NamedFaces& n : named)
        if (n.refuse)
            out.ledger.push_back({make_key("wall", fmt::format("{} {}", n.a, n.b), {}), "halve", EntryKind::wall, EntryState::refused,
                                  fmt::format("{}: faces {} and {} are not opposed, by the plan", body.label, n.a + 1, n.b + 1), 0, body.mass.centre,
                                  body.label});
    return out;
}

// Bolts, nuts and washers become what join makes of them; but those whose fastener the plan refuses are bodies like any other.
std::vector<bool> left_to_join(const Assembly& solids, const HalveOptions& options) {
    std::vector<bool> out(solids.bodies.size(), false);
    for (const Fastener& f : find_fasteners(solids)) {
        if (std::ranges::find(options.refuse, fastener_key(solids.bodies[f.body.index()])) != options.refuse.end()) continue;
        out[f.body.index()] = true;
        for (const BodyId r : f.rings) out[r.index()] = true;
    }
    return out;
}

}  // namespace

Model halve(const Assembly& solids, const HalveOptions& options, const Observer& observer) {
    if (options.thickness && !(*options.thickness > 0))
        throw Error(ErrorKind::usage, fmt::format("halve.thickness is {:g}; give a length greater than 0, or none", *options.thickness));
    Model model;
    model.tolerance = solids.tolerance, model.shift = solids.shift;
    model.bodies.assign(solids.bodies.begin(), solids.bodies.end());
    const std::size_t n = solids.bodies.size();
    std::vector<Model> parts(n);
    std::vector<std::optional<Prism>> prisms(n);
    std::vector<std::exception_ptr> failed(n);
    observer.tell("halve", 0.02);
    // Each part is idealized where it first stands and placed from there. What the plan says of single walls makes each body its own.
    const WallRules rules(options, solids);
    const bool alike = options.refuse.empty() && options.walls.empty() && options.fill.empty() && options.keep.empty() && options.covered == CoveredAs::open;
    std::map<int, std::size_t> first_of;
    std::vector<std::size_t> first, own;
    const std::vector<bool> left = left_to_join(solids, options);
    for (std::size_t i = 0; i < n; ++i) {
        if (left[i]) {
            first.push_back(i);
            continue;
        }
        first.push_back(alike ? first_of.try_emplace(solids.bodies[i].part, i).first->second : i);
        if (first[i] == i) own.push_back(i);
    }
    const std::size_t chunk = std::max<std::size_t>(1, own.size() / 20);
    for (std::size_t from = 0; from < own.size(); from += chunk) {
        const std::size_t count = std::min(chunk, own.size() - from);
        parallel_for(count, [&](std::size_t k) {
            const std::size_t i = own[from + k];
            try {
                parts[i] = halve_body(solids, i, options, rules, prisms[i]);
            } catch (...) {
                failed[i] = std::current_exception();
            }
        });
        observer.tell("halve", static_cast<double>(from + count) / static_cast<double>(own.size()));
    }
    for (const auto& f : failed)
        if (f) std::rethrow_exception(f);
    for (std::size_t i = 0; i < n; ++i) {
        if (first[i] == i) continue;  // last, below: the others are made from it
        const Body &here = solids.bodies[i], &there = solids.bodies[first[i]];
        const Eigen::Isometry3d m = here.place * there.place.inverse();
        parts[i] = placed(parts[first[i]], m, BodyId(i), here, there.label);
        prisms[i] = prisms[first[i]];
        if (prisms[i]) prisms[i]->axis = prisms[i]->axis.moved(m);
    }
    for (std::size_t i = 0; i < n; ++i)
        if (first[i] == i) parts[i] = placed(std::move(parts[i]), Eigen::Isometry3d::Identity(), BodyId(i), solids.bodies[i], solids.bodies[i].label);
    Vec3 centre = Vec3::Zero();
    double volume = 0;
    for (const Body& b : solids.bodies) centre += b.mass.volume * b.mass.centre, volume += b.mass.volume;
    if (volume > 0) centre /= volume;
    KeySet keys;
    for (std::size_t i = 0; i < n; ++i) {
        if (prisms[i]) {
            const Body& body = solids.bodies[i];
            const std::string key = make_key("member", body.key, {prisms[i]->length()});
            if (std::find(options.refuse.begin(), options.refuse.end(), key) != options.refuse.end()) {
                model.ledger.push_back(
                    {key, "halve", EntryKind::member, EntryState::refused, body.label + " as a beam line", prisms[i]->length(), body.mass.centre, body.label});
                model.findings.push_back(not_idealized(body, "its member was refused by the plan", "take " + key + " out of halve.refuse"));
                model.findings.back().key = own_key(model.findings.back().key, body.key);
            } else {
                add_member_of(model, body, BodyId(i), *prisms[i], centre);
            }
        }
        append(model, std::move(parts[i]));
    }
    add_patches(model, solids, options.patches);
    for (const std::string& line : rules.idle())
        model.findings.push_back({make_key("finding", line, {}), FindingKind::rule_without_effect, line,
                                  "check its body, id, faces and points against halvo list MODEL walls", Vec3::Zero(), 0, ""});
    if (options.slender == SlenderAs::beams) note_fused_frames(model, solids, options.survey.slender);
    for (Sheet& s : model.sheets) s.key = keys.unique(s.key);
    for (Member& m : model.members) m.key = keys.unique(m.key);
    observer.tell("halve", 1);
    return model;
}

}  // namespace halvo
