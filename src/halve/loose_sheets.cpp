#include "halve/loose_sheets.hpp"

#include "body/chart_middle.hpp"
#include "body/surface_cut.hpp"
#include "body/wall_search.hpp"
#include "core/index.hpp"
#include "core/keys.hpp"
#include "geom/facet_tree.hpp"
#include "model/arrangement.hpp"
#include "model/sheet_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

class LooseHalver {
public:
    LooseHalver(Model& model, const Assembly& solids, BodyId body, double thickness)
        : model_(model), solids_(solids), id_(body), body_(solids.bodies[ix(body)]), thickness_(thickness), tol_(4 * solids.tolerance.point) {}

    void run() {
        for (std::size_t i = 0; i < body_.edges.size(); ++i) input_.curves.push_back(body_.edges[i].curve);
        for (std::size_t f = 0; f < body_.faces.size(); ++f) add_face(static_cast<int>(f));
        for (std::size_t i = 0; i < faces_.size(); ++i)
            for (std::size_t j = 0; j < faces_.size(); ++j) imprint(i, j);
        const Arrangement a = arrange(input_, tol_);
        std::vector<std::vector<Keep>> keep(faces_.size());
        for (std::size_t i = 0; i < faces_.size(); ++i)
            for (const Cell& c : a.sheets[i].cells) keep[i].push_back({on_face(a, i, c)});
        const Assembled done = assemble(model_, a, input_, keep, {});
        for (std::size_t i = 0; i < faces_.size(); ++i)
            if (!done.regions[i].empty()) add_sheet(faces_[i], input_.sheets[i].chart, done.regions[i]);
    }

private:
    struct LooseFace {
        int face;
        Box3 box;
        std::vector<Vec3> points;
        std::set<int> edges;
    };

    void add_face(int f) {
        const Face& face = body_.faces[ix(f)];
        const auto* free = std::get_if<FreeSurface>(&face.surface);
        LooseFace l{f, {}, {}, {}};
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
            for (int c : body_.facets[i].corners) l.points.push_back(body_.points[ix(c)]), l.box.extend(body_.points[ix(c)]);
        if (l.points.empty()) return;
        if (free && !free->spline) {
            model_.findings.push_back({make_key("finding", "surface of facets", {face.area}), FindingKind::not_idealized,
                                       fmt::format("{}: a surface of facets without a shape of its own ({:.0f} mm2) got no sheet", body_.label, face.area),
                                       "give it as STEP or IGES", l.points.front(), std::sqrt(face.area), body_.label});
            return;
        }
        ArrangementInput::SheetSurface s{Chart(face.surface, chart_middle(face.surface, l.points), face.reversed), {}};
        std::set<int> twice;
        for (const auto& loop : face.loops)
            for (const Coedge& u : loop)
                if (!body_.edges[u.edge.index()].degenerate && !l.edges.insert(u.edge.value).second) twice.insert(u.edge.value);
        s.curves.assign(l.edges.begin(), l.edges.end());
        if (twice.empty() && !s.chart.flat()) {
            // A cut that runs outside the face falls away again.
            for (const Curve& c : s.chart.cuts(l.points, thickness_)) s.curves.push_back(add(c)), input_.cuts.push_back(s.curves.back());
        }
        input_.cuts.insert(input_.cuts.end(), twice.begin(), twice.end());
        input_.sheets.push_back(std::move(s));
        faces_.push_back(std::move(l));
    }

    int add(const Curve& c) {
        input_.curves.push_back(c);
        return static_cast<int>(input_.curves.size()) - 1;
    }

    // Edges of the one face that lie on the other, and curves along which both cross.
    void imprint(std::size_t i, std::size_t j) {
        if (i == j) return;
        Box3 a = faces_[i].box;
        a.min().array() -= tol_, a.max().array() += tol_;
        if (!a.intersects(faces_[j].box)) return;
        const Chart& chart = input_.sheets[i].chart;
        bool share = false;
        for (int e : faces_[j].edges) {
            if (faces_[i].edges.count(e)) {
                share = true;
                continue;
            }
            const Curve& c = body_.edges[ix(e)].curve;
            bool on = true;
            for (const double w : {0.0, 0.23, 0.5, 0.77, 1.0}) on = on && std::abs(chart.height(c.point(c.parameter_at(w)))) <= tol_;
            if (!on || !a.intersects(c.box())) continue;
            share = true;
            input_.sheets[i].curves.push_back(e);
        }
        if (share || i > j) return;
        const bool first = faces_[i].box.sizes().norm() <= faces_[j].box.sizes().norm();
        const std::size_t on = first ? i : j, other = first ? j : i;
        Box3 range = a.intersection(faces_[j].box);
        range.min().array() -= tol_, range.max().array() += tol_;
        for (const Curve& c : crossings(input_.sheets[on].chart, input_.sheets[other].chart, range, faces_[on].points, tol_, solids_.tolerance.point)) {
            const int k = add(c);
            input_.sheets[i].curves.push_back(k), input_.sheets[j].curves.push_back(k);
        }
    }

    bool on_face(const Arrangement& a, std::size_t i, const Cell& c) const {
        const Chart& chart = input_.sheets[i].chart;
        double in = 0, all = 0;
        for (const AreaSample& s : spread_inside(cell_polygons(a, chart, c, solids_.tolerance.chord), 12)) {
            const Vec3 p = chart.at(s.point);
            const auto near = body_.tree->nearest(p, 0.02 * faces_[i].box.sizes().norm() + 10 * solids_.tolerance.chord);
            all += s.area;
            if (near && body_.facets[ix(near->facet)].face == faces_[i].face && inside_facets(faces_[i].face, chart, s.point)) in += s.area;
        }
        return in > 0.5 * all;
    }

    // Is the chart point under some facet of the face?
    bool inside_facets(int f, const Chart& chart, const Vec2& q) const {
        const Face& face = body_.faces[ix(f)];
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            const auto& k = body_.facets[i].corners;
            const Vec2 a = chart.local2(body_.points[ix(k[0])], q), b = chart.local2(body_.points[ix(k[1])], q), c = chart.local2(body_.points[ix(k[2])], q);
            if (inside({{a, b, c}}, q)) return true;
        }
        return false;
    }

    void add_sheet(const LooseFace& l, const Chart& chart, const std::vector<Region>& regions) {
        Sheet s;
        s.body = id_, s.chart = chart, s.regions = regions;
        s.top_faces = s.bottom_faces = {l.face};
        take_as_it_is(model_, s, thickness_);
        Vec3 middle = Vec3::Zero();
        for (const Vec3& p : l.points) middle += p / static_cast<double>(l.points.size());
        s.wall = keys_.unique(make_key("wall", "", {std::sqrt(s.area()), (middle - body_.box.center()).norm()}));
        s.key = make_key("sheet", s.wall, {std::sqrt(s.area())});
        model_.ledger.push_back(
            {s.wall, "halve", EntryKind::surface, EntryState::applied,
             fmt::format("{}: a {} taken as it is, {:.2f} mm thick by the plan, {:.0f} mm2", body_.label, surface_name(chart.surface()), thickness_, s.area()),
             s.area(), chart.foot(middle), body_.label});
        model_.sheets.push_back(std::move(s));
    }

    Model& model_;
    const Assembly& solids_;
    BodyId id_;
    const Body& body_;
    double thickness_, tol_;
    ArrangementInput input_;
    std::vector<LooseFace> faces_;
    KeySet keys_;
};

}  // namespace

void surfaces_as_sheets(Model& model, const Assembly& solids, BodyId body, double thickness) {
    LooseHalver(model, solids, body, thickness).run();
}

}  // namespace halvo
