#include "body/orientation.hpp"

#include "core/index.hpp"

#include <array>

namespace halvo {

std::vector<AgainstMost> faces_against_most(const Body& body) {
    std::vector<std::vector<std::pair<int, bool>>> uses(body.edges.size());
    for (std::size_t f = 0; f < body.faces.size(); ++f)
        for (const auto& loop : body.faces[f].loops)
            for (const Coedge& u : loop) uses[u.edge.index()].emplace_back(static_cast<int>(f), u.reversed);
    std::vector<std::vector<std::pair<int, bool>>> next(body.faces.size());  // neighbour, does it agree
    bool any = false;
    for (const auto& u : uses)
        if (u.size() == 2 && u[0].first != u[1].first) {
            const bool agrees = u[0].second != u[1].second;
            any = any || !agrees;
            next[ix(u[0].first)].emplace_back(u[1].first, agrees), next[ix(u[1].first)].emplace_back(u[0].first, agrees);
        }
    std::vector<AgainstMost> out;
    if (!any) return out;
    std::vector<int> sense(body.faces.size(), 0);
    for (std::size_t start = 0; start < body.faces.size(); ++start) {
        if (sense[start] != 0) continue;
        AgainstMost one;
        std::vector<int> queue{static_cast<int>(start)};
        sense[start] = 1;
        std::array<double, 2> area{0, 0};
        for (std::size_t i = 0; i < queue.size(); ++i) {
            const auto f = ix(queue[i]);
            area[sense[f] > 0 ? 1 : 0] += body.faces[f].area;
            for (const auto& [g, agrees] : next[f]) {
                const int meant = agrees ? sense[f] : -sense[f];
                if (sense[ix(g)] == 0) sense[ix(g)] = meant, queue.push_back(g);
                else one.told = one.told && sense[ix(g)] == meant;
            }
        }
        const int wrong = area[1] >= area[0] ? -1 : 1;
        for (int f : queue)
            if (sense[ix(f)] == wrong) one.faces.push_back(f);
        one.of = queue.size(), one.area = area[wrong > 0 ? 1 : 0];
        if (!one.faces.empty()) out.push_back(std::move(one));
    }
    return out;
}

}  // namespace halvo
