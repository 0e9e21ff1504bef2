#include "mend/merge.hpp"

#include "body/face_outlines.hpp"
#include "body/merge_faces.hpp"
#include "core/index.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr double tolerances_merged = 10;  // times the point tolerance: pieces of one surface, as files of 15 digits give them
constexpr double merged_shape = 1e-6;     // of the volume or area, by which merging may change a body

class Merging {
public:
    Merging(const std::vector<Body>& bodies, const std::vector<std::size_t>& of_part, const SewLimits& limits)
        : bodies_(bodies), of_part_(of_part), limits_(limits) {}

    MergedPart run() {
        const Body& body = bodies_[of_part_[0]];
        MergedPart out;
        SkinGraph graph(body);
        const auto groups = faces_in_pieces(graph, tolerances_merged * limits_.tol);
        std::vector<Listed> list;
        KeySet keys;
        for (const FacesInPieces& g : groups) {
            LedgerEntry e;
            e.key = keys.unique(make_key("one-face", body.name, {std::sqrt(g.area), g.length, (g.place - body.mass.centre).norm()}));
            e.stage = "mend", e.kind = EntryKind::one_face, e.value = g.length, e.place = g.place;
            e.about = fmt::format("{} faces on one {} are one; {:.1f} mm of edges between them go", g.faces.size(),
                                  surface_name(body.faces[ix(g.faces[0])].surface), g.length);
            const bool refused =
                std::any_of(of_part_.begin(), of_part_.end(), [&](std::size_t b) { return limits_.refuse.count(own_key(e.key, bodies_[b].key)) > 0; });
            e.state = refused ? EntryState::refused : EntryState::applied;
            if (refused) out.ledger.push_back(std::move(e));
            else list.emplace_back(g, std::move(e));
        }
        if (list.empty()) return out;
        std::map<int, int> keeper;
        merge_some(body, graph, list, 0, list.size(), out, keeper);
        if (!out.body) return out;
        int n = 0;
        out.faces.assign(body.faces.size(), -1);
        for (std::size_t f = 0; f < body.faces.size(); ++f)
            if (!keeper.count(static_cast<int>(f))) out.faces[f] = n++;
        for (const auto& [gone, to] : keeper) out.faces[ix(gone)] = out.faces[ix(to)];
        return out;
    }

private:
    using Listed = std::pair<FacesInPieces, LedgerEntry>;

    // All groups from `first` to `last` on top of what the graph has; halves where what comes of all is no sound body.
    void merge_some(const Body& body, SkinGraph& graph, const std::vector<Listed>& list, std::size_t first, std::size_t last, MergedPart& out,
                    std::map<int, int>& keeper) const {
        SkinGraph with = graph;
        bool any = false;
        for (std::size_t i = first; i < last; ++i)
            if (const auto edit = made_one(with, list[i].first)) with.apply(*edit), any = true;
        if (!any) return;
        if (auto made = same_shape(body, with)) {
            graph = std::move(with), out.body = std::move(made);
            for (std::size_t i = first; i < last; ++i) {
                const auto& faces = list[i].first.faces;
                if (graph.has_face(faces[1])) continue;
                out.ledger.push_back(list[i].second);
                for (std::size_t k = 1; k < faces.size(); ++k) keeper[faces[k]] = faces[0];
            }
            return;
        }
        if (last - first == 1) return;
        const std::size_t middle = first + (last - first) / 2;
        merge_some(body, graph, list, first, middle, out, keeper);
        merge_some(body, graph, list, middle, last, out, keeper);
    }

    [[nodiscard]] static std::optional<Body> same_shape(const Body& body, const SkinGraph& graph) {
        try {
            Body out = graph.result();
            const double moved_by = body.closed ? std::abs(out.mass.volume - body.mass.volume) / std::abs(body.mass.volume)
                                                : std::abs(out.mass.area - body.mass.area) / body.mass.area;
            if (!(moved_by <= merged_shape)) return std::nullopt;
            return out;
        } catch (const NotLaid&) {
            return std::nullopt;
        }
    }

    const std::vector<Body>& bodies_;
    const std::vector<std::size_t>& of_part_;
    const SewLimits& limits_;
};

}  // namespace

MergedPart merged_part(const std::vector<Body>& bodies, const std::vector<std::size_t>& of_part, const SewLimits& limits) {
    return Merging(bodies, of_part, limits).run();
}

}  // namespace halvo
