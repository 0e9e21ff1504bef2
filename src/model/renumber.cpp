#include "model/renumber.hpp"

#include <algorithm>

namespace halvo {
namespace {

class Renumberer {
public:
    Renumberer(Model& model, const Renumbering& change)
        : model_(model), change_(change), vertex_(model.vertices.size(), -1), edge_(model.edges.size(), -1), sheet_(model.sheets.size(), -1) {}

    void run() {
        for (Sheet& s : model_.sheets)
            for (Region& r : s.regions) become(r);
        for (Edge& e : model_.edges)
            for (VertexId& v : e.vertices) v = become(v);
        for (Link& l : model_.links) l.a = become(l.a), l.b = become(l.b);
        for (Coupling& c : model_.couplings) {
            c.centre = become(c.centre);
            for (VertexId& v : c.vertices) v = become(v);
        }
        for (VertexId& v : model_.places) v = become(v);
        count();
        renumber();
    }

private:
    VertexId become(VertexId v) const { return v ? change_.vertices[v.index()] : v; }
    EdgeUse become(const EdgeUse& u) const {
        const EdgeUse& to = change_.edges[u.edge.index()];
        return {to.edge, to.reversed != u.reversed};
    }

    void become(Region& r) const {
        for (auto& loop : r.loops) {
            for (EdgeUse& u : loop) u = become(u);
            std::erase_if(loop, [](const EdgeUse& u) { return !u.edge; });
        }
        for (EdgeId& e : r.embedded) e = change_.edges[e.index()].edge;
        std::erase_if(r.embedded, [](EdgeId e) { return !e; });
        for (VertexId& v : r.points) v = become(v);
        if (r.loops.empty() || r.loops[0].empty()) r.loops.clear();
        else std::erase_if(r.loops, [](const auto& loop) { return loop.empty(); });
    }

    // Numbers of what is used, in the order that it has.
    void count() {
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            auto& regions = model_.sheets[s].regions;
            std::erase_if(regions, [](const Region& r) { return r.loops.empty(); });
            if (!change_.goes[s]) sheet_[s] = 0;
        }
        each_edge([&](EdgeId& e) { edge_[e.index()] = 0; });
        each_vertex([&](VertexId& v) { vertex_[v.index()] = 0; });
        for (auto* list : {&vertex_, &edge_, &sheet_}) {
            int next = 0;
            for (int& k : *list)
                if (k == 0) k = next++;
        }
    }

    void renumber() {
        each_edge([&](EdgeId& e) { e = EdgeId(edge_[e.index()]); });
        each_vertex([&](VertexId& v) { v = VertexId(vertex_[v.index()]); });
        for (Tie& t : model_.ties) t.onto = SheetId(sheet_[t.onto.index()]);
        for (ModelSet& s : model_.sets) {
            for (SheetId& k : s.sheets) k = SheetId(sheet_[k.index()]);
            std::erase_if(s.sheets, [](SheetId k) { return !k; });
        }
        keep(model_.vertices, vertex_), keep(model_.edges, edge_), keep(model_.sheets, sheet_);
    }

    template <class What>
    void each_edge(const What& what) {
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            if (sheet_[s] < 0) continue;
            for (Region& r : model_.sheets[s].regions) {
                for (auto& loop : r.loops)
                    for (EdgeUse& u : loop) what(u.edge);
                for (EdgeId& e : r.embedded) what(e);
            }
        }
        for (Member& m : model_.members)
            for (EdgeUse& u : m.chain) what(u.edge);
        for (EdgeLink& l : model_.edge_links) what(l.a), what(l.b);
        for (Tie& t : model_.ties)
            for (EdgeId& e : t.edges) what(e);
        for (Coupling& c : model_.couplings)
            for (EdgeId& e : c.edges) what(e);
        for (ModelSet& s : model_.sets)
            for (EdgeId& e : s.edges) what(e);
    }

    template <class What>
    void each_vertex(const What& what) {
        for (std::size_t e = 0; e < edge_.size(); ++e)
            if (edge_[e] >= 0)
                for (VertexId& v : model_.edges[e].vertices)
                    if (v) what(v);
        for (std::size_t s = 0; s < model_.sheets.size(); ++s)
            if (sheet_[s] >= 0)
                for (Region& r : model_.sheets[s].regions)
                    for (VertexId& v : r.points) what(v);
        for (Link& l : model_.links) what(l.a), what(l.b);
        for (Coupling& c : model_.couplings) {
            if (c.centre) what(c.centre);
            for (VertexId& v : c.vertices) what(v);
        }
        for (VertexId& v : model_.places)
            if (v) what(v);
    }

    template <class T>
    static void keep(std::vector<T>& list, const std::vector<int>& number) {
        std::vector<T> out;
        for (std::size_t i = 0; i < list.size(); ++i)
            if (number[i] >= 0) out.push_back(std::move(list[i]));
        list = std::move(out);
    }

    Model& model_;
    const Renumbering& change_;
    std::vector<int> vertex_, edge_, sheet_;  // new numbers; -1: goes
};

}  // namespace

Renumbering::Renumbering(const Model& model) : goes(model.sheets.size(), false) {
    for (std::size_t v = 0; v < model.vertices.size(); ++v) vertices.emplace_back(v);
    for (std::size_t e = 0; e < model.edges.size(); ++e) edges.push_back({EdgeId(e), false});
}

EdgeId split_edge(Model& model, EdgeId edge, double share) {
    Edge& first = model.edges[edge.index()];
    Edge second = first;
    const double t = first.curve.t0 + share * (first.curve.t1 - first.curve.t0);
    const VertexId v(model.vertices.size());
    const EdgeId more(model.edges.size());
    model.vertices.push_back({first.curve.point(t)});
    first.curve.t1 = second.curve.t0 = t;
    first.vertices[1] = second.vertices[0] = v;
    model.edges.push_back(std::move(second));
    for (Sheet& s : model.sheets)
        for (Region& r : s.regions) {
            for (auto& loop : r.loops)
                for (std::size_t k = 0; k < loop.size(); ++k) {
                    if (loop[k].edge != edge) continue;
                    loop.insert(loop.begin() + static_cast<std::ptrdiff_t>(loop[k].reversed ? k : k + 1), {more, loop[k].reversed});
                    ++k;
                }
            if (std::find(r.embedded.begin(), r.embedded.end(), edge) != r.embedded.end()) r.embedded.push_back(more);
        }
    return more;
}

void renumber(Model& model, const Renumbering& change) {
    Renumberer(model, change).run();
}

}  // namespace halvo
