#include "mesh/subregions.hpp"

#include "core/groups.hpp"
#include "core/index.hpp"
#include "geom/cross.hpp"
#include "geom/predicates.hpp"
#include "mesh/corners.hpp"

#include <halvo/geometry.hpp>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>
#include <set>
#include <unordered_map>

namespace halvo {
namespace {

constexpr double furthest = 5.03;                 // sizes, that a line is led on
constexpr double shortest = 0.55, longest = 1.6;  // sizes, of elements on the way
constexpr double most_turned = 35 * pi / 180;     // from its own direction

class Cutter {
public:
    Cutter(const PlanarInput& in, std::vector<Vec2>& points)
        : in_(in), points_(points), links_(in.points.size()), hole_of_(in.points.size(), -1), on_loop_(in.points.size(), false) {
        for (std::size_t l = 0; l < in.loops.size(); ++l)
            for (std::size_t i = 0; i < in.loops[l].size(); ++i) {
                const int a = in.loops[l][i];
                on_loop_[ix(a)] = true;
                if (l > 0) hole_of_[ix(a)] = static_cast<int>(l);
                add(a, in.loops[l][(i + 1) % in.loops[l].size()]);
            }
        for (const auto& s : in.inner) add(s[0], s[1]);
    }

    /// Loops of the parts. Rows of points led on from lines are as fine as the region, but for the numbers in `changed`: one more or less.
    std::vector<std::vector<int>> cut(const std::map<std::size_t, int>& changed) {
        lead_on(changed);
        prune();
        return holes_stand_alone() ? trace() : std::vector<std::vector<int>>{};
    }

    /// Quads alone fill a part only when its loop has an even number of sides: which rows would have to be one longer or shorter.
    [[nodiscard]] std::map<std::size_t, int> odd_rows(const std::vector<std::vector<int>>& faces) const {
        std::map<std::pair<int, int>, std::size_t> face_at;
        for (std::size_t f = 0; f < faces.size(); ++f)
            for (std::size_t k = 0; k < faces[f].size(); ++k) face_at[{faces[f][k], faces[f][(k + 1) % faces[f].size()]}] = f;
        // A tree of parts over the rows between them; from its leaves on, an odd part changes its row to the next.
        struct Way {
            std::size_t row, part;
        };
        std::vector<std::vector<Way>> ways(faces.size());
        for (std::size_t r = 0; r < rows_.size(); ++r) {
            const auto one = face_at.find({rows_[r].from, rows_[r].next}), other = face_at.find({rows_[r].next, rows_[r].from});
            if (rows_[r].change == 0 || one == face_at.end() || other == face_at.end() || one->second == other->second) continue;
            ways[one->second].push_back({r, other->second}), ways[other->second].push_back({r, one->second});
        }
        std::vector<bool> odd(faces.size()), seen(faces.size(), false);
        for (std::size_t f = 0; f < faces.size(); ++f) odd[f] = faces[f].size() % 2 > 0;
        std::map<std::size_t, int> out;
        for (std::size_t start = 0; start < faces.size(); ++start) {
            if (seen[start]) continue;
            std::vector<std::pair<Way, std::size_t>> order{{{0, start}, start}};  // and the part before
            seen[start] = true;
            for (std::size_t k = 0; k < order.size(); ++k)
                for (const Way& w : ways[order[k].first.part])
                    if (!seen[w.part]) seen[w.part] = true, order.push_back({w, order[k].first.part});
            for (std::size_t k = order.size(); k-- > 1;) {
                const auto& [way, before] = order[k];
                if (!odd[way.part]) continue;
                out[way.row] = rows_[way.row].change;
                odd[way.part] = false, odd[before] = !odd[before];
            }
        }
        return out;
    }

    [[nodiscard]] std::vector<Subregion> parts(const std::vector<std::vector<int>>& faces) const {
        std::vector<Part> all;
        for (const auto& f : faces) all.push_back(begin(f));
        if (!share_out(all)) return {};
        for (Part& s : all) find_sides(s);
        return {std::make_move_iterator(all.begin()), std::make_move_iterator(all.end())};
    }

private:
    struct Part : Subregion {
        std::unordered_map<int, int> number;  // of the whole region's points in this part
    };

    [[nodiscard]] const Vec2& at(int i) const { return points_[ix(i)]; }

    void add(int a, int b) { links_[ix(a)].insert(b), links_[ix(b)].insert(a); }

    // From the free ends of lines to what stands ahead of them.
    void lead_on(const std::map<std::size_t, int>& changed) {
        std::vector<std::pair<int, int>> more;
        for (int e = 0; e < static_cast<int>(links_.size()); ++e) {
            if (on_loop_[ix(e)] || links_[ix(e)].size() != 1) continue;
            const Vec2 way = (at(e) - at(*links_[ix(e)].begin())).normalized();
            int best = -1;
            double least = furthest * in_.size;
            for (int k = 0; k < static_cast<int>(links_.size()); ++k) {
                if (k == e || links_[ix(k)].empty() || hole_of_[ix(k)] >= 0 || links_[ix(e)].count(k)) continue;
                const Vec2 d = at(k) - at(e);
                const double length = d.norm(), bent = std::atan2(std::abs(cross(way, d)), way.dot(d));
                // Straight on counts: a point a little further but ahead is better than a near one aside.
                if (length > furthest * in_.size || bent > most_turned) continue;
                if (const double worth = length * (1 + bent); worth < least * (1 - 1e-9) && free_way(e, k)) least = worth, best = k;
            }
            if (best >= 0) more.emplace_back(e, best);
        }
        for (const auto& [a, b] : more)
            if (free_way(a, b)) add_row(a, b, changed);  // not across one added before
    }

    void add_row(int a, int b, const std::map<std::size_t, int>& changed) {
        const Vec2 from = at(a), way = at(b) - from;
        const double wanted = way.norm() / in_.size;
        int n = std::max(1, static_cast<int>(std::lround(wanted - 1e-6)));
        const int change = n < wanted && wanted / (n + 1) > shortest ? 1 : n > 1 && wanted / (n - 1) < longest ? -1 : wanted / (n + 1) > shortest ? 1 : 0;
        if (const auto it = changed.find(rows_.size()); it != changed.end()) n += it->second;
        rows_.push_back({a, n > 1 ? static_cast<int>(points_.size()) : b, change});
        for (int k = 1; k < n; ++k) {
            const int p = static_cast<int>(points_.size());
            points_.push_back(from + k * way / n);
            links_.emplace_back(), hole_of_.push_back(-1), on_loop_.push_back(false);
            add(a, p);
            a = p;
        }
        add(a, b);
    }

    // Does the straight way between two points cross no line and pass through no point?
    [[nodiscard]] bool free_way(int a, int b) const {
        Box2 box;
        box.extend(at(a)), box.extend(at(b));
        for (int p = 0; p < static_cast<int>(links_.size()); ++p)
            for (int q : links_[ix(p)]) {
                if (q < p) continue;
                Box2 other;
                other.extend(at(p)), other.extend(at(q));
                if (!box.intersects(other)) continue;
                const double s = orient(at(a), at(b), at(p)), t = orient(at(a), at(b), at(q)), u = orient(at(p), at(q), at(a)), v = orient(at(p), at(q), at(b));
                const int common = p == a || q == a ? a : p == b || q == b ? b : -1;
                // From a common point on, only a line in the same direction is in the way.
                const bool along = common >= 0 && s == 0 && t == 0 && (at(p == common ? q : p) - at(common)).dot(at(common == a ? b : a) - at(common)) > 0;
                if (common >= 0 ? along : s * t <= 0 && u * v <= 0) return false;
            }
        return true;
    }

    // Lines that end inside a part cut nothing: they stay lines inside it.
    void prune() {
        std::vector<int> ends;
        for (int i = 0; i < static_cast<int>(links_.size()); ++i)
            if (links_[ix(i)].size() == 1) ends.push_back(i);
        while (!ends.empty()) {
            const int a = ends.back();
            ends.pop_back();
            if (links_[ix(a)].size() != 1) continue;
            const int b = *links_[ix(a)].begin();
            dangling_.push_back({a, b});
            links_[ix(a)].clear(), links_[ix(b)].erase(a);
            if (links_[ix(b)].size() == 1) ends.push_back(b);
        }
    }

    // Is what hangs together apart from the outline nothing but single holes?
    [[nodiscard]] bool holes_stand_alone() {
        Groups groups(links_.size());
        for (int a = 0; a < static_cast<int>(links_.size()); ++a)
            for (int b : links_[ix(a)]) groups.tie(a, b);
        const int outer = groups.root(in_.loops[0][0]);
        for (int a = 0; a < static_cast<int>(links_.size()); ++a) {
            if (links_[ix(a)].empty() || groups.root(a) == outer) continue;
            if (hole_of_[ix(a)] < 0 || links_[ix(a)].size() != 2) return false;
        }
        outer_.assign(links_.size(), false);
        for (int a = 0; a < static_cast<int>(links_.size()); ++a) outer_[ix(a)] = !links_[ix(a)].empty() && groups.root(a) == outer;
        return true;
    }

    // Loops with the area on their left, each of the lines' sides part of one.
    [[nodiscard]] std::vector<std::vector<int>> trace() const {
        std::set<std::pair<int, int>> done;
        std::vector<std::vector<int>> out;
        for (int a = 0; a < static_cast<int>(links_.size()); ++a)
            for (int b : links_[ix(a)]) {
                if (!outer_[ix(a)] || done.count({a, b})) continue;
                std::vector<int> loop;
                int from = a, to = b;
                do {
                    if (!done.insert({from, to}).second) return {};  // lines on top of each other
                    loop.push_back(from);
                    const int next = leftmost(from, to);
                    from = to, to = next;
                } while (from != a || to != b);
                if (area(loop) > 0) out.push_back(std::move(loop));
            }
        for (const auto& loop : out)
            if (std::set<int>(loop.begin(), loop.end()).size() != loop.size()) return {};  // touches itself
        double sum = 0;
        for (const auto& loop : out) sum += area(loop);
        return std::abs(sum - area(in_.loops[0])) <= 1e-9 * std::abs(sum) ? out : std::vector<std::vector<int>>{};
    }

    // Coming from a, the next point after b with nothing between the two ways on the left.
    [[nodiscard]] int leftmost(int a, int b) const {
        const Vec2 back = at(a) - at(b);
        int best = -1;
        double least = 0;
        for (int c : links_[ix(b)]) {
            if (c == a && links_[ix(b)].size() > 1) continue;
            const Vec2 d = at(c) - at(b);
            double turn = std::atan2(cross(d, back), d.dot(back));  // from the way on, counter-clockwise to the way back
            if (turn <= 0) turn += 2 * pi;
            if (best < 0 || turn < least) best = c, least = turn;
        }
        return best;
    }

    [[nodiscard]] double area(const std::vector<int>& loop) const {
        double sum = 0;
        for (std::size_t i = 0; i < loop.size(); ++i) sum += 0.5 * cross(at(loop[i]), at(loop[(i + 1) % loop.size()]));
        return sum;
    }

    [[nodiscard]] Part begin(const std::vector<int>& loop) const {
        Part s;
        s.in.size = in_.size, s.in.growth = in_.growth, s.in.folds = in_.folds;
        s.in.loops.push_back(local(s, loop));
        return s;
    }

    std::vector<int> local(Part& s, const std::vector<int>& list) const {
        std::vector<int> out;
        for (int i : list) {
            const auto [it, fresh] = s.number.try_emplace(i, static_cast<int>(s.global.size()));
            if (fresh) s.global.push_back(i), s.in.points.push_back(at(i));
            out.push_back(it->second);
        }
        return out;
    }

    // Holes, lines that end inside and single points go to the part they lie in.
    bool share_out(std::vector<Part>& parts) const {
        std::vector<std::vector<std::vector<Vec2>>> outlines;
        for (const Part& s : parts) outlines.push_back({s.in.points});
        const auto part_at = [&](const Vec2& p) -> Part* {
            for (std::size_t k = 0; k < parts.size(); ++k)
                if (inside(outlines[k], p)) return &parts[k];
            return nullptr;
        };
        std::vector<bool> taken = outer_;
        for (std::size_t i = in_.points.size(); i < taken.size(); ++i) taken[i] = true;  // on a way that leads nowhere
        for (std::size_t l = 1; l < in_.loops.size(); ++l) {
            if (outer_[ix(in_.loops[l][0])]) continue;
            Part* s = part_at(at(in_.loops[l][0]));
            if (!s) return false;
            s->in.loops.push_back(local(*s, in_.loops[l]));
            s->in.holes.push_back(l - 1 < in_.holes.size() ? in_.holes[l - 1] : HoleRows{});
            for (int i : in_.loops[l]) taken[ix(i)] = true;
        }
        for (const auto& d : dangling_) {
            Part* s = part_at(0.5 * (at(d[0]) + at(d[1])));
            if (!s) return false;
            const auto both = local(*s, {d[0], d[1]});
            s->in.inner.push_back({both[0], both[1]});
            taken[ix(d[0])] = taken[ix(d[1])] = true;
        }
        for (int i = 0; i < static_cast<int>(taken.size()); ++i) {
            if (taken[ix(i)]) continue;
            Part* s = part_at(at(i));
            if (!s) return false;
            local(*s, {i});
        }
        return true;
    }

    // Four chains between four corners, where a part has as many and nothing inside.
    static void find_sides(Part& s) {
        if (s.in.loops.size() != 1 || !s.in.inner.empty() || s.in.points.size() != s.in.loops[0].size()) return;
        const auto corners = corners_of(s.in.points, s.in.loops[0]);
        if (!corners || corners->size() != 4) return;
        const auto& loop = s.in.loops[0];
        for (std::size_t k = 0; k < 4; ++k) {
            auto& side = s.in.sides.emplace_back();
            const std::size_t end = (*corners)[(k + 1) % 4];
            for (std::size_t i = (*corners)[k];; i = (i + 1) % loop.size()) {
                side.push_back(loop[i]);
                if (i == end && side.size() > 1) break;
            }
        }
    }

    // Led on from a line: its first two points, and by how much its number of elements may change.
    struct Row {
        int from = -1, next = -1, change = 0;
    };

    const PlanarInput& in_;
    std::vector<Vec2>& points_;
    std::vector<Row> rows_;
    std::vector<std::set<int>> links_;
    std::vector<int> hole_of_;
    std::vector<bool> on_loop_, outer_;
    std::vector<std::array<int, 2>> dangling_;
};

}  // namespace

std::vector<Subregion> subregions(const PlanarInput& input, std::vector<Vec2>& points) {
    points = input.points;
    if (input.inner.empty() || input.loops.empty()) return {};
    Cutter first(input, points);
    const auto faces = first.cut({});
    if (faces.size() < 2) return {};
    const auto odd = first.odd_rows(faces);
    if (odd.empty()) return first.parts(faces);
    points = input.points;
    Cutter second(input, points);
    const auto even = second.cut(odd);
    return even.size() < 2 ? std::vector<Subregion>{} : second.parts(even);
}

}  // namespace halvo
