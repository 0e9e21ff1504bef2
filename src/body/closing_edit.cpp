// From a closed wound to the change of the skin: new loops of the faces round it.
#include "body/opening.hpp"
#include "body/trace_loops.hpp"

#include <algorithm>

namespace halvo::wound {
namespace {

class EditWriter : public Opening {
public:
    explicit EditWriter(const Opening& opening) : Opening(opening) {}

    // A coedge, and where it was.
    struct Use {
        Coedge use;
        EdgeSide place;
    };

    // Loops from what is left of those round the opening and the new edges.
    bool write(const State& s, SkinEdit& edit, std::string& why) {
        edit.faces.assign(gone_.begin(), gone_.end());
        edit.vertices = s.vertices, edit.ends = s.ends;
        for (const auto& [e, edge] : s.carried) edit.carried.emplace_back(e, edge);
        std::map<int, int> root;
        const auto face_of = [&](int f) {
            while (root.count(f)) f = root[f];
            return f;
        };
        for (const auto& [keep, gone] : s.united) {
            const int a = face_of(keep), b = face_of(gone);
            if (a != b) root[b] = a, edit.united.emplace_back(a, b);
        }
        for (int e : wound_)
            for (const EdgeSide& side : graph_.sides(e))
                if (!gone_.count(side.face)) used_.insert({side.face, side.loop});
        std::map<int, std::vector<Use>> left;
        for (const auto& [f, l] : used_) {
            edit.loops.emplace_back(f, l);
            auto& list = left[face_of(f)];
            const auto& loop = body().faces[ix(f)].loops[ix(l)];
            for (std::size_t i = 0; i < loop.size(); ++i)
                if (!edge_of(loop[i]).degenerate && !in_wound(loop[i]))
                    list.push_back({bare_coedge(loop[i].edge.value, loop[i].reversed), {f, l, static_cast<int>(i)}});
        }
        for (const NewEdge& n : s.edges) {
            const int number = static_cast<int>(body().edges.size() + edit.edges.size());
            edit.edges.push_back(n.edge);
            left[face_of(n.prev)].push_back({bare_coedge(number, true), {}}), left[face_of(n.next)].push_back({bare_coedge(number, false), {}});
        }
        for (const BodyEdge& e : edit.edges) edit.ends.insert(edit.ends.end(), e.vertices.begin(), e.vertices.end());
        for (const auto& [k, e] : edit.carried) edit.ends.insert(edit.ends.end(), e.vertices.begin(), e.vertices.end());
        for (const NewEdge& n : s.edges)
            if (leaves_spline(n.edge.curve, {n.prev, n.next})) return why = past_spline, false;
        for (const auto& [e, edge] : s.carried) {
            std::vector<int> faces;
            for (const EdgeSide& side : graph_.sides(e)) faces.push_back(side.face);
            if (leaves_spline(edge.curve, faces)) return why = past_spline, false;
        }
        for (auto& [f, list] : left)
            if (!chain(f, list, edit, why)) return false;
        for (const auto& [f, list] : left) {
            const auto stays = [&](int face) {
                return graph_.loops_of(face) > std::count_if(used_.begin(), used_.end(), [&](const auto& u) { return u.first == face; });
            };
            const bool any = stays(f) || std::any_of(edit.borders.begin(), edit.borders.end(), [&, of = f](const auto& b) { return b.first == of; });
            if (!any) return why = "a face beside it would have no border left", false;
        }
        return true;
    }

private:
    static constexpr const char* past_spline = "a free surface beside it would have to go on past what the file gives of it";

    // Of a spline there is no more than the file gives, carried on straight: not what the part was before.
    [[nodiscard]] bool leaves_spline(const Curve& c, const std::vector<int>& faces) const {
        for (int f : faces) {
            const auto* free = std::get_if<FreeSurface>(&body().faces[ix(f)].surface);
            if (!free) continue;
            if (!free->spline) return true;
            for (const double w : {0.0, 0.25, 0.5, 0.75, 1.0}) {
                const Vec2 uv = graph_.base(f).parameters(c.point(c.t0 + w * (c.t1 - c.t0)));
                if ((free->spline->extended(uv, 0).p - free->spline->point(free->spline->clamped(uv))).norm() > 10 * tol_) return true;
            }
        }
        return false;
    }

    // Which coedge follows which, from how they did and, where that is gone, from the vertex they meet in.
    bool chain(int face, const std::vector<Use>& list, SkinEdit& edit, std::string& why) const {
        std::map<std::array<int, 3>, std::size_t> number;
        std::vector<LoopUse> uses;
        for (std::size_t i = 0; i < list.size(); ++i) {
            const EdgeSide& k = list[i].place;
            if (k.face >= 0) number[{k.face, k.loop, k.place}] = i;
            uses.push_back({list[i].use, -1});
        }
        for (std::size_t i = 0; i < list.size(); ++i) {
            if (list[i].place.face < 0) continue;
            const EdgeSide after = next_of(list[i].place);
            if (const auto it = number.find({after.face, after.loop, after.place}); it != number.end()) uses[i].after = static_cast<std::ptrdiff_t>(it->second);
        }
        const std::map<int, BodyEdge> carried(edit.carried.begin(), edit.carried.end());
        const auto edge = [&](BodyEdgeId e) -> const BodyEdge& {
            if (e.index() >= body().edges.size()) return edit.edges[e.index() - body().edges.size()];
            const auto it = carried.find(e.value);
            return it != carried.end() ? it->second : body().edges[e.index()];
        };
        auto loops = trace_loops(uses, edge, [&](const Vec3& p) { return normal(face, p); });
        if (!loops) return why = "the edges round a face beside it would not close", false;
        for (auto& loop : *loops) edit.borders.emplace_back(face, std::move(loop));
        return true;
    }
};

}  // namespace

bool write_edit(const Opening& opening, const State& s, SkinEdit& edit, std::string& why) {
    return EditWriter(opening).write(s, edit, why);
}

}  // namespace halvo::wound
