#pragma once
// Between the makers' own types and the CAD kernel's.
#include "shapes.hpp"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <GeomAPI_Interpolate.hxx>
#include <Geom_BSplineCurve.hxx>
#include <TColgp_HArray1OfPnt.hxx>
#include <TopoDS_Wire.hxx>
#include <gp_Circ.hxx>
#include <gp_Pln.hxx>

namespace make {

inline Solid wrap(const TopoDS_Shape& s) {
    return {std::make_shared<TopoDS_Shape>(s)};
}
inline const TopoDS_Shape& shape(const Solid& s) {
    return *static_cast<const TopoDS_Shape*>(s.shape.get());
}
inline gp_Pnt pnt(const Vec3& p) {
    return {p.x(), p.y(), p.z()};
}
inline gp_Dir dir(const Vec3& p) {
    return {p.x(), p.y(), p.z()};
}

inline TopoDS_Wire wire(const std::vector<Curve>& loop) {
    BRepBuilderAPI_MakeWire w;
    for (const Curve& c : loop) {
        if (c.is_line()) {
            w.Add(BRepBuilderAPI_MakeEdge(pnt(c.start()), pnt(c.end())).Edge());
        } else if (!std::holds_alternative<halvo::CircleCurve>(c.shape)) {
            constexpr int n = 48;
            const Handle(TColgp_HArray1OfPnt) points = new TColgp_HArray1OfPnt(1, n + 1);
            for (int i = 0; i <= n; ++i) points->SetValue(i + 1, pnt(c.point(c.t0 + (c.t1 - c.t0) * i / n)));
            GeomAPI_Interpolate through(points, false, 1e-9);
            through.Perform();
            w.Add(BRepBuilderAPI_MakeEdge(through.Curve()).Edge());
        } else {
            const auto& k = std::get<halvo::CircleCurve>(c.shape);
            const gp_Circ circ(gp_Ax2(pnt(k.frame.origin), dir(k.frame.z), dir(k.frame.x)), k.radius);
            if (c.t1 - c.t0 > 2 * halvo::pi - 1e-9) w.Add(BRepBuilderAPI_MakeEdge(circ).Edge());
            else w.Add(BRepBuilderAPI_MakeEdge(circ, c.t0, c.t1).Edge());
        }
    }
    return w.Wire();
}

}  // namespace make
