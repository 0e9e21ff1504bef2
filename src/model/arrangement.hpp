#pragma once
/// Splits all curves of a model once, globally, and finds the cells they cut each sheet's surface into.

#include <halvo/model.hpp>

#include <functional>

namespace halvo {

struct ArrangementInput {
    struct SheetSurface {
        Chart chart;
        std::vector<int> curves;  ///< those that lie on the surface
    };
    struct Split {
        int curve = -1;
        Vec3 point;
    };
    /// Two line curves whose splits are mirrored onto each other by projection (for matched links).
    struct Twins {
        int a = -1, b = -1;
    };
    std::vector<Curve> curves;
    std::vector<SheetSurface> sheets;
    std::vector<Split> splits;
    std::vector<Twins> twins;
    std::vector<Vec3> points;  ///< vertices wanted, on curves or free
    std::vector<int> steps;    ///< curves that stay where only one sheet uses them: its thickness jumps there
    std::vector<int> cuts;     ///< curves along which closed surfaces are cut open: they bound what lies on both sides
};

/// A piece of a sheet's surface with no curve inside. Loops have the cell on their left; the first is the outer one.
struct Cell {
    std::vector<std::vector<int>> loops;  ///< half-edges: 2 * edge + (reversed ? 1 : 0)
    double area = 0;
};

struct SheetCells {
    std::vector<Cell> cells;
    std::map<int, int> cell_of;  ///< half-edge to the cell on its left, -1 outside
    std::map<int, int> next;     ///< half-edge to the next one round its cell

    /// The cell on the left of a half-edge; -1 outside, and where the half-edge is none of this sheet's.
    [[nodiscard]] int cell(int half) const {
        const auto it = cell_of.find(half);
        return it == cell_of.end() ? -1 : it->second;
    }
};

struct Arrangement {
    std::vector<Vec3> vertices;
    std::vector<Edge> edges;
    std::vector<SheetCells> sheets;
    std::vector<std::vector<EdgeUse>> on_curve;  ///< edges along each input curve, in its sense
    std::vector<VertexId> of_point;              ///< vertex of each input point
};

/// Points within `tol` of each other are one, and so are the ends of edges no longer than `shortest`: where three traced surfaces meet at a
/// flat angle, their curves cross two and two a few tolerances apart.
[[nodiscard]] Arrangement arrange(const ArrangementInput& input, double tol, double shortest = 0);

/// The loops of a cell as polygons in the chart.
[[nodiscard]] std::vector<std::vector<Vec2>> cell_polygons(const Arrangement& a, const Chart& chart, const Cell& cell, double chord);

/// Signed area enclosed by a chain of half-edges; arcs are exact on planes.
[[nodiscard]] double chain_area(const std::vector<Edge>& edges, const Chart& chart, const std::vector<int>& halves);

/// Points spread over the inside of polygons (even-odd), each with its share of the area. Throws where their sides, or the lines inside them,
/// cross each other.
struct AreaSample {
    Vec2 point;
    double area = 0;
};
[[nodiscard]] std::vector<AreaSample> spread_inside(const std::vector<std::vector<Vec2>>& loops, std::size_t least,
                                                    const std::vector<std::vector<Vec2>>& lines = {});

/// What becomes of each cell.
struct Assembled {
    std::vector<std::vector<Region>> regions;  ///< per sheet
    std::vector<VertexId> of_point;
    std::vector<std::vector<EdgeUse>> on_curve;  ///< for the curves asked for; empty for the others
};

struct Keep {
    bool kept = false;
    bool own = true;     ///< lies in the sheet's own body
    bool empty = false;  ///< lies in no material at all
};

/// Drops cells not kept, merges the kept ones across edges that join nothing, removes vertices without meaning, and
/// writes vertices and edges to `model`. Edges on `lines` (members, links) stay whatever sheets do, and vertices in
/// `of_point` stay too.
[[nodiscard]] Assembled assemble(Model& model, const Arrangement& a, const ArrangementInput& input, const std::vector<std::vector<Keep>>& keep,
                                 const std::vector<int>& lines);

}  // namespace halvo
