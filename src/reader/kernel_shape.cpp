// Shapes of the CAD kernel become Halvo's own bodies: it evaluates and tessellates, nothing else.
#include "reader/kernel_shape.hpp"

#include "body/face_facets.hpp"
#include "body/touching_edges.hpp"
#include "geom/recognise.hpp"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepTools.hxx>
#include <BRepTools_WireExplorer.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <GCPnts_TangentialDeflection.hxx>
#include <Geom2d_Curve.hxx>
#include <GeomConvert.hxx>
#include <Geom_BSplineSurface.hxx>
#include <Geom_RectangularTrimmedSurface.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <Standard_Failure.hxx>
#include <TColStd_HArray1OfReal.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Wire.hxx>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace halvo::io {
namespace {

Vec3 vec(const gp_Pnt& p) {
    return {p.X(), p.Y(), p.Z()};
}
Vec3 vec(const gp_Dir& p) {
    return {p.X(), p.Y(), p.Z()};
}

Curve convert_curve(const TopoDS_Edge& edge, double chord) {
    const BRepAdaptor_Curve c(edge);
    const double a = c.FirstParameter(), b = c.LastParameter();
    if (c.GetType() == GeomAbs_Line) return Curve::segment(vec(c.Value(a)), vec(c.Value(b)));
    if (c.GetType() == GeomAbs_Circle) {
        const gp_Circ k = c.Circle();
        const gp_Ax2& ax = k.Position();
        return {CircleCurve{{vec(ax.Location()), vec(ax.XDirection()), vec(ax.YDirection()), vec(ax.Direction())}, k.Radius()}, a, b};
    }
    if (c.GetType() == GeomAbs_Ellipse) {
        const gp_Elips k = c.Ellipse();
        const gp_Ax2& ax = k.Position();
        return {EllipseCurve{{vec(ax.Location()), vec(ax.XDirection()), vec(ax.YDirection()), vec(ax.Direction())}, k.MajorRadius(), k.MinorRadius()}, a, b};
    }
    std::vector<Vec3> pts, tangents;
    // Much finer than the facets: areas and volumes of the faces beside it are integrated along these points.
    GCPnts_TangentialDeflection sampler(c, a, b, 0.02, 0.02 * chord, 5);
    for (int i = 1; i <= sampler.NbPoints(); ++i) {
        gp_Pnt p;
        gp_Vec d;
        c.D1(sampler.Parameter(i), p, d);
        pts.push_back(vec(p));
        if (d.Magnitude() > 1e-12) tangents.push_back(Vec3(d.X(), d.Y(), d.Z()) / d.Magnitude());
    }
    if (tangents.size() != pts.size()) tangents.clear();  // a cusp: straight pieces then
    return recognise_curve(pts, tangents, Precision::Confusion() * 10);
}

Frame right_handed(const gp_Ax3& ax) {
    return {vec(ax.Location()), vec(ax.XDirection()), vec(ax.Direction()).cross(vec(ax.XDirection())), vec(ax.Direction())};
}

// A face's surface with what is needed to carry over the kernel's parameters.
struct Converted {
    Surface surface;
    bool flipped = false;          // own normal opposite to the kernel's natural one
    bool same_parameters = false;  // the kernel's (u, v) are ours, but for the sign of u where flipped
};

Converted elementary(const BRepAdaptor_Surface& s) {
    switch (s.GetType()) {
        case GeomAbs_Plane: {
            const gp_Ax3 ax = s.Plane().Position();
            Frame f = right_handed(ax);
            if (!ax.Direct()) f.y = -f.y, f.z = -f.z;
            return {PlaneSurface{f}, false, true};
        }
        case GeomAbs_Cylinder:
            return {CylinderSurface{right_handed(s.Cylinder().Position()), s.Cylinder().Radius()}, !s.Cylinder().Position().Direct(), true};
        case GeomAbs_Cone:
            return {ConeSurface{right_handed(s.Cone().Position()), s.Cone().RefRadius(), s.Cone().SemiAngle()}, !s.Cone().Position().Direct(), true};
        case GeomAbs_Sphere:
            return {SphereSurface{right_handed(s.Sphere().Position()), s.Sphere().Radius()}, !s.Sphere().Position().Direct(), true};
        case GeomAbs_Torus:
            return {TorusSurface{right_handed(s.Torus().Position()), s.Torus().MajorRadius(), s.Torus().MinorRadius()}, !s.Torus().Position().Direct(), true};
        default:
            return {FreeSurface{}, false, false};
    }
}

// Part of a surface, in its parameters.
struct Range {
    double u0 = 0, u1 = 0, v0 = 0, v1 = 0;
    [[nodiscard]] Range with(const Range& o) const { return {std::min(u0, o.u0), std::max(u1, o.u1), std::min(v0, o.v0), std::max(v1, o.v1)}; }
};

Range range_of(const TopoDS_Face& face) {
    Range r;
    BRepTools::UVBounds(face, r.u0, r.u1, r.v0, r.v1);
    return r;
}

// A face's surface without its trimming, where it stands.
struct Whole {
    Handle(Geom_Surface) surface;
    gp_Trsf place;

    explicit Whole(const TopoDS_Face& face) {
        TopLoc_Location at;
        surface = BRep_Tool::Surface(face, at);
        place = at.Transformation();
        if (surface->DynamicType() == STANDARD_TYPE(Geom_RectangularTrimmedSurface))
            surface = Handle(Geom_RectangularTrimmedSurface)::DownCast(surface)->BasisSurface();
    }
    [[nodiscard]] Vec3 at(double u, double v) const { return vec(surface->Value(u, v).Transformed(place)); }
};

// Faces that lie on one free surface, as where ribs cut one side of a wall in pieces: each gets all of it that they take.
class SharedSurfaces {
public:
    explicit SharedSurfaces(const TopTools_IndexedMapOfShape& faces) {
        std::map<std::array<long long, 4>, std::vector<std::size_t>> known;  // groups by a point of theirs
        for (int i = 1; i <= faces.Extent(); ++i) {
            const TopoDS_Face face = TopoDS::Face(faces(i).Oriented(TopAbs_FORWARD));
            group_of_.push_back(none);
            try {
                if (BRepAdaptor_Surface(face, true).GetType() <= GeomAbs_Torus) continue;
                Group own{Whole(face), range_of(face)};
                auto& like = known[key(own.whole)];
                const auto found = std::find_if(like.begin(), like.end(), [&](std::size_t g) { return joins(groups_[g], own); });
                if (found != like.end()) groups_[*found].range = groups_[*found].range.with(own.range), group_of_.back() = *found;
                else like.push_back(groups_.size()), group_of_.back() = groups_.size(), groups_.push_back(std::move(own));
            } catch (const Standard_Failure&) {
                continue;  // by itself
            }
        }
    }

    [[nodiscard]] Range range(int face, const TopoDS_Face& of) const {
        const std::size_t g = group_of_[static_cast<std::size_t>(face)];
        return g == none ? range_of(of) : groups_[g].range;
    }

private:
    static constexpr std::size_t none = static_cast<std::size_t>(-1);
    struct Group {
        Whole whole;
        Range range;
    };

    static std::array<long long, 4> key(const Whole& w) {
        double u0 = 0, u1 = 0, v0 = 0, v1 = 0;
        w.surface->Bounds(u0, u1, v0, v1);
        const auto middle = [](double a, double b) { return Precision::IsInfinite(a) || Precision::IsInfinite(b) ? 0.0 : 0.5 * (a + b); };
        const Vec3 p = w.at(middle(u0, u1), middle(v0, v1));
        constexpr double grid = 1e5;
        return {std::llround(grid * p.x()), std::llround(grid * p.y()), std::llround(grid * p.z()), static_cast<long long>(w.surface->Continuity())};
    }

    static bool joins(const Group& g, const Group& own) {
        if (g.whole.surface->DynamicType() != own.whole.surface->DynamicType()) return false;
        const Range both = g.range.with(own.range);
        if (own.whole.surface->IsUPeriodic() && both.u1 - both.u0 > own.whole.surface->UPeriod() * (1 + 1e-9)) return false;
        if (own.whole.surface->IsVPeriodic() && both.v1 - both.v0 > own.whole.surface->VPeriod() * (1 + 1e-9)) return false;
        constexpr double same = 1e-9;
        for (const double x : {0.0, 0.37, 0.71, 1.0})
            for (const double y : {0.0, 0.29, 0.64, 1.0}) {
                const double u = both.u0 + x * (both.u1 - both.u0), v = both.v0 + y * (both.v1 - both.v0);
                const Vec3 p = g.whole.at(u, v);
                if ((p - own.whole.at(u, v)).norm() > same * (1 + p.norm())) return false;
            }
        return true;
    }

    std::vector<std::size_t> group_of_;  // of each face
    std::vector<Group> groups_;
};

std::shared_ptr<const NurbsSurface> as_spline(const TopoDS_Face& face, const Range& range) {
    try {
        const Whole whole(face);
        const Handle(Geom_Surface) own = Handle(Geom_Surface)::DownCast(whole.surface->Transformed(whole.place));
        const Handle(Geom_BSplineSurface) b =
            GeomConvert::SurfaceToBSplineSurface(new Geom_RectangularTrimmedSurface(own, range.u0, range.u1, range.v0, range.v1));
        if (b.IsNull()) return nullptr;
        b->SetUNotPeriodic();
        b->SetVNotPeriodic();
        NurbsSurface out;
        out.degree_u = b->UDegree(), out.degree_v = b->VDegree();
        for (int i = 1; i <= b->NbUKnots(); ++i) out.knots_u.insert(out.knots_u.end(), static_cast<std::size_t>(b->UMultiplicity(i)), b->UKnot(i));
        for (int i = 1; i <= b->NbVKnots(); ++i) out.knots_v.insert(out.knots_v.end(), static_cast<std::size_t>(b->VMultiplicity(i)), b->VKnot(i));
        const bool rational = b->IsURational() || b->IsVRational();
        for (int i = 1; i <= b->NbUPoles(); ++i)
            for (int j = 1; j <= b->NbVPoles(); ++j) {
                out.poles.push_back(vec(b->Pole(i, j)));
                if (rational) out.weights.push_back(b->Weight(i, j));
            }
        if (out.count_u() * out.count_v() != out.poles.size()) return nullptr;
        return std::make_shared<const NurbsSurface>(std::move(out));
    } catch (const Standard_Failure&) {
        return nullptr;  // the facets stand for it
    }
}

Converted convert_surface(const TopoDS_Face& face, const Range& range, double tol) {
    const BRepAdaptor_Surface s(face, true);
    Converted out = elementary(s);
    if (out.same_parameters) return out;
    // What a file gives as a spline or a swept surface is often a plain one.
    const double u0 = s.FirstUParameter(), u1 = s.LastUParameter(), v0 = s.FirstVParameter(), v1 = s.LastVParameter();
    std::vector<Vec3> points, normals;
    for (int i = 0; i < 9; ++i)
        for (int j = 0; j < 9; ++j) {
            gp_Pnt p;
            gp_Vec du, dv;
            s.D1(u0 + (u1 - u0) * (i + 0.5) / 9, v0 + (v1 - v0) * (j + 0.5) / 9, p, du, dv);
            const gp_Vec n = du.Crossed(dv);
            if (n.Magnitude() < 1e-12) continue;
            points.push_back(vec(p));
            normals.push_back(Vec3(n.X(), n.Y(), n.Z()) / n.Magnitude());
        }
    if (const auto known = recognise_surface(points, normals, tol)) {
        out.surface = *known;
        out.flipped = surface_normal(*known, points[0])->dot(normals[0]) < 0;
        return out;
    }
    out.surface = FreeSurface{as_spline(face, range)};
    if (const auto& spline = std::get<FreeSurface>(out.surface).spline) {
        out.same_parameters = true;
        for (double x : {0.13, 0.52, 0.91})
            for (double y : {0.17, 0.46, 0.88}) {
                const double u = u0 + x * (u1 - u0), v = v0 + y * (v1 - v0);
                if ((spline->point({u, v}) - vec(s.Value(u, v))).norm() > 1e-6 * (1 + spline->point({u, v}).norm())) out.same_parameters = false;
            }
    }
    return out;
}

class SolidConverter {
public:
    SolidConverter(const TopoDS_Shape& shape, double chord) : shape_(shape), chord_(chord) {}

    Body run() {
        TopTools_IndexedMapOfShape vertices, edges, faces;
        TopExp::MapShapes(shape_, TopAbs_VERTEX, vertices);
        TopExp::MapShapes(shape_, TopAbs_EDGE, edges);
        for (TopExp_Explorer e(shape_, TopAbs_FACE); e.More(); e.Next()) faces.Add(e.Current());
        for (int i = 1; i <= vertices.Extent(); ++i) body_.vertices.push_back(vec(BRep_Tool::Pnt(TopoDS::Vertex(vertices(i)))));
        for (int i = 1; i <= edges.Extent(); ++i) convert_edge(TopoDS::Edge(edges(i)), vertices);
        const SharedSurfaces shared(faces);
        for (int i = 1; i <= faces.Extent(); ++i) convert_face(TopoDS::Face(faces(i)), edges, shared.range(i - 1, TopoDS::Face(faces(i))));
        part_touching_edges(body_);
        if (!body_.parameters.empty()) body_.parameters.resize(body_.points.size(), Vec2(0, 0));
        return std::move(body_);
    }

private:
    void convert_edge(const TopoDS_Edge& edge, const TopTools_IndexedMapOfShape& vertices) {
        BodyEdge out;
        const TopoDS_Edge forward = TopoDS::Edge(edge.Oriented(TopAbs_FORWARD));
        TopoDS_Vertex a, b;
        TopExp::Vertices(forward, a, b);
        if (!a.IsNull()) out.vertices[0] = vertices.FindIndex(a) - 1;
        if (!b.IsNull()) out.vertices[1] = vertices.FindIndex(b) - 1;
        out.degenerate = BRep_Tool::Degenerated(edge);
        if (!out.degenerate) out.curve = convert_curve(forward, chord_);
        if (!out.degenerate && out.curve.t1 - out.curve.t0 <= 0) out.degenerate = true;
        body_.edges.push_back(std::move(out));
    }

    void convert_face(const TopoDS_Face& face, const TopTools_IndexedMapOfShape& edges, const Range& range) {
        Face out;
        const bool turned = face.Orientation() == TopAbs_REVERSED;
        const TopoDS_Face forward = TopoDS::Face(face.Oriented(TopAbs_FORWARD));
        const Converted c = convert_surface(forward, range, 1e-7);
        out.surface = c.surface;
        out.reversed = turned != c.flipped;
        for (TopExp_Explorer w(forward, TopAbs_WIRE); w.More(); w.Next()) {
            auto loop = convert_wire(TopoDS::Wire(w.Current()), forward, edges, c);
            if (turned) {
                std::reverse(loop.begin(), loop.end());
                for (Coedge& use : loop) {
                    use.reversed = !use.reversed, std::swap(use.uv_start, use.uv_end);
                    std::reverse(use.path.begin(), use.path.end());
                }
            }
            if (!loop.empty()) out.loops.push_back(std::move(loop));
        }
        add_facets(face, out, c);
        body_.faces.push_back(std::move(out));
    }

    // Parameters of the converted surface for those of the kernel's.
    static Vec2 parameters(const Converted& c, const BRepAdaptor_Surface& s, const Vec2& uv) {
        if (c.same_parameters) return {c.flipped ? -uv.x() : uv.x(), uv.y()};
        const auto* free = std::get_if<FreeSurface>(&c.surface);
        const Vec3 p = vec(s.Value(uv.x(), uv.y()));
        if (!free) return surface_parameters(c.surface, p);
        return free->spline ? free->spline->foot(p, uv) : uv;
    }

    // Ends of a coedge on a surface that was recognised: angles go on without jumps from the point before.
    static void recognised_ends(Coedge& use, const Converted& c, const BRepAdaptor_Surface& s, const Handle(Geom2d_Curve) & pc, double from, double to,
                                const std::optional<Vec2>& before) {
        const gp_Pnt2d middle(0.5 * (s.FirstUParameter() + s.LastUParameter()), 0.5 * (s.FirstVParameter() + s.LastVParameter()));
        std::optional<Vec2> last = before;
        for (int i = 0; i <= 16; ++i) {
            const gp_Pnt2d q = pc->Value(from + (to - from) * i / 16);
            Vec2 uv = surface_parameters(c.surface, vec(s.Value(q.X(), q.Y())));
            // At poles and apexes the angle is that of the line which runs into them.
            const auto speed = [&](bool along_u) {
                gp_Pnt p;
                gp_Vec du, dv;
                s.D1(q.X(), q.Y(), p, du, dv);
                return along_u ? du.Magnitude() : dv.Magnitude();
            };
            const double least = 1e-9 * (1 + speed(true) + speed(false));
            if (speed(true) < least) uv.x() = surface_parameters(c.surface, vec(s.Value(q.X(), q.Y() + 1e-4 * (middle.Y() - q.Y())))).x();
            else if (speed(false) < least) uv.x() = surface_parameters(c.surface, vec(s.Value(q.X() + 1e-4 * (middle.X() - q.X()), q.Y()))).x();
            if (last) {
                uv.x() += 2 * pi * std::round((last->x() - uv.x()) / (2 * pi));
                if (std::holds_alternative<TorusSurface>(c.surface)) uv.y() += 2 * pi * std::round((last->y() - uv.y()) / (2 * pi));
            }
            if (i == 0) use.uv_start = uv;
            last = use.uv_end = uv;
        }
    }

    std::vector<Coedge> convert_wire(const TopoDS_Wire& wire, const TopoDS_Face& face, const TopTools_IndexedMapOfShape& edges, const Converted& converted) {
        std::vector<TopoDS_Edge> ordered;
        for (BRepTools_WireExplorer w(wire, face); w.More(); w.Next()) ordered.push_back(w.Current());
        std::vector<TopoDS_Edge> plain;
        for (TopExp_Explorer w(wire, TopAbs_EDGE); w.More(); w.Next()) plain.push_back(TopoDS::Edge(w.Current()));
        if (ordered.size() != plain.size()) ordered = plain;
        const BRepAdaptor_Surface s(face, true);
        const bool recognised = !converted.same_parameters && !std::holds_alternative<FreeSurface>(converted.surface);
        std::optional<Vec2> before;
        std::vector<Coedge> loop;
        for (const TopoDS_Edge& e : ordered) {
            if (e.Orientation() == TopAbs_INTERNAL || e.Orientation() == TopAbs_EXTERNAL) continue;
            Coedge c;
            c.edge = BodyEdgeId(edges.FindIndex(e) - 1);
            c.reversed = e.Orientation() == TopAbs_REVERSED;
            double a = 0, b = 0;
            const Handle(Geom2d_Curve) pc = BRep_Tool::CurveOnSurface(e, face, a, b);
            if (!pc.IsNull()) {
                const double from = c.reversed ? b : a, to = c.reversed ? a : b;
                const auto at = [&](double t) {
                    const gp_Pnt2d q = pc->Value(t);
                    return parameters(converted, s, {q.X(), q.Y()});
                };
                if (recognised) recognised_ends(c, converted, s, pc, from, to, before);
                else c.uv_start = at(from), c.uv_end = at(to);
                before = c.uv_end;
                if (std::holds_alternative<FreeSurface>(converted.surface)) add_path(c, e, face, at);
            }
            loop.push_back(std::move(c));
        }
        return loop;
    }

    // Along the edge in the surface's parameters: the corners of the facets, and three points between each two.
    template <class At>
    static void add_path(Coedge& use, const TopoDS_Edge& e, const TopoDS_Face& face, const At& at) {
        TopLoc_Location place;
        const Handle(Poly_Triangulation) mesh = BRep_Tool::Triangulation(face, place);
        if (mesh.IsNull()) return;
        const Handle(Poly_PolygonOnTriangulation) polygon = BRep_Tool::PolygonOnTriangulation(e, mesh, place);
        if (polygon.IsNull() || polygon->Parameters().IsNull()) return;
        const Handle(TColStd_HArray1OfReal) t = polygon->Parameters();
        for (int i = t->Lower(); i < t->Upper(); ++i)
            for (int k = 0; k < 4; ++k) use.path.push_back(at(t->Value(i) + (t->Value(i + 1) - t->Value(i)) * k / 4));
        use.path.push_back(at(t->Value(t->Upper())));
        if (use.reversed) std::reverse(use.path.begin(), use.path.end());
    }

    void add_facets(const TopoDS_Face& face, Face& out, const Converted& converted) {
        out.first_facet = body_.facets.size();
        TopLoc_Location place;
        const Handle(Poly_Triangulation) mesh = BRep_Tool::Triangulation(face, place);
        if (mesh.IsNull()) return;
        const int base = static_cast<int>(body_.points.size());
        for (int i = 1; i <= mesh->NbNodes(); ++i) body_.points.push_back(vec(mesh->Node(i).Transformed(place.Transformation())));
        if (std::holds_alternative<FreeSurface>(converted.surface) && mesh->HasUVNodes()) {
            const BRepAdaptor_Surface s(face, true);
            body_.parameters.resize(static_cast<std::size_t>(base), Vec2(0, 0));
            for (int i = 1; i <= mesh->NbNodes(); ++i) body_.parameters.push_back(parameters(converted, s, {mesh->UVNode(i).X(), mesh->UVNode(i).Y()}));
        }
        const int id = static_cast<int>(body_.faces.size());
        for (int i = 1; i <= mesh->NbTriangles(); ++i) {
            int a = 0, b = 0, c = 0;
            mesh->Triangle(i).Get(a, b, c);
            if (face.Orientation() == TopAbs_REVERSED) std::swap(b, c);
            body_.facets.push_back({{base + a - 1, base + b - 1, base + c - 1}, id});
        }
        out.facet_count = body_.facets.size() - out.first_facet;
    }

    TopoDS_Shape shape_;
    double chord_;
    Body body_;
};

Body convert_solid(const TopoDS_Shape& shape) {
    // Facets left by another part that shares faces would make the result depend on the order of parts.
    BRepTools::Clean(shape);
    Bnd_Box box;
    BRepBndLib::Add(shape, box, false);
    const double size = box.IsVoid() ? 1 : std::sqrt(box.SquareExtent());
    if (!(size < 1e9)) throw Error(ErrorKind::input, "a part is more than a thousand kilometres large; check its unit and export it again");
    constexpr double angle = 0.35;
    BRepMesh_IncrementalMesh coarse(shape, coarse_chord * size, false, angle, false);
    Body first = SolidConverter(shape, coarse_chord * size).run();
    const auto chord = finer_chord(first, size, angle);
    if (!chord) return first;
    BRepTools::Clean(shape);
    BRepMesh_IncrementalMesh fine(shape, *chord, false, angle, false);
    return SolidConverter(shape, *chord).run();
}

}  // namespace

Body convert_shape(const TopoDS_Shape& shape) {
    return convert_solid(shape);
}

}  // namespace halvo::io
