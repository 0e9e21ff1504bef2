#include "model/renumber.hpp"

#include "model/references.hpp"

#include <algorithm>

namespace halvo {
namespace {

class Renumberer {
public:
    Renumberer(Model& model, const Renumbering& change) : model_(model), change_(change) {}

    void run() {
        redirect();
        drop_sheets();
        drop_edges();
        drop_vertices();
    }

private:
    [[nodiscard]] EdgeUse become(const EdgeUse& u) const {
        const EdgeUse& to = change_.edges[u.edge.index()];
        return {to.edge, to.reversed != u.reversed};
    }
    void become(std::vector<EdgeUse>& uses) const {
        for (EdgeUse& u : uses) u = become(u);
        std::erase_if(uses, [](const EdgeUse& u) { return !u.edge; });
    }
    void become(std::vector<EdgeId>& edges) const {
        for (EdgeId& e : edges) e = change_.edges[e.index()].edge;
        std::erase_if(edges, [](EdgeId e) { return !e; });
    }

    // What the change says of vertices and edges, wherever something refers to them.
    void redirect() {
        for (Sheet& s : model_.sheets)
            for (Region& r : s.regions) {
                for (auto& loop : r.loops) become(loop);
                become(r.embedded);
                if (r.loops.empty() || r.loops[0].empty()) r.loops.clear();
                else std::erase_if(r.loops, [](const auto& loop) { return loop.empty(); });
            }
        for (Member& m : model_.members) become(m.chain);
        for (EdgeLink& l : model_.edge_links) {
            const EdgeUse a = become({l.a, false}), b = become({l.b, l.reversed});
            l.a = a.edge, l.b = b.edge, l.reversed = a.reversed != b.reversed;
        }
        std::erase_if(model_.edge_links, [](const EdgeLink& l) { return !l.a || !l.b; });
        for (Tie& t : model_.ties) become(t.edges);
        for (Coupling& c : model_.couplings) become(c.edges);
        for (ModelSet& s : model_.sets) become(s.edges);
        each_vertex_reference(model_, [&](VertexId& v) { v = change_.vertices[v.index()]; });
    }

    void drop_sheets() {
        std::vector<int> number;
        int next = 0;
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            std::erase_if(model_.sheets[s].regions, [](const Region& r) { return r.loops.empty(); });
            number.push_back(change_.goes[s] ? -1 : next++);
        }
        each_sheet_reference(model_, [&](SheetId& k) { k = SheetId(number[k.index()]); });
        for (ModelSet& s : model_.sets) std::erase_if(s.sheets, [](SheetId k) { return !k; });
        keep(model_.sheets, number);
    }

    void drop_edges() {
        std::vector<int> number(model_.edges.size(), -1);
        each_edge_reference(model_, [&](EdgeId e) { number[e.index()] = 0; });
        count(number);
        each_edge_reference(model_, [&](EdgeId& e) { e = EdgeId(number[e.index()]); });
        keep(model_.edges, number);
    }

    void drop_vertices() {
        std::vector<int> number(model_.vertices.size(), -1);
        each_vertex_reference(model_, [&](VertexId v) { number[v.index()] = 0; });
        count(number);
        each_vertex_reference(model_, [&](VertexId& v) { v = VertexId(number[v.index()]); });
        keep(model_.vertices, number);
    }

    // Numbers of what is used (0), in the order that it has.
    static void count(std::vector<int>& number) {
        int next = 0;
        for (int& k : number)
            if (k == 0) k = next++;
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
