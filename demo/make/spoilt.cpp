#include "spoilt.hpp"

#include "kernel_shapes.hpp"

#include "geom/triangulation.hpp"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepBuilderAPI_Copy.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_NurbsConvert.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepGProp.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepOffsetAPI_MakePipe.hxx>
#include <BRepOffsetAPI_MakePipeShell.hxx>
#include <BRepOffsetAPI_ThruSections.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeRevol.hxx>
#include <BRepTools.hxx>
#include <BRepTools_WireExplorer.hxx>
#include <BRep_Builder.hxx>
#include <ElSLib.hxx>
#include <GProp_GProps.hxx>
#include <GeomAPI_Interpolate.hxx>
#include <GeomAPI_PointsToBSplineSurface.hxx>
#include <Geom_BSplineSurface.hxx>
#include <IGESControl_Controller.hxx>
#include <IGESControl_Writer.hxx>
#include <Interface_Static.hxx>
#include <Poly_Triangulation.hxx>
#include <TColgp_Array2OfPnt.hxx>
#include <TColgp_HArray1OfPnt.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <TopoDS_Shell.hxx>

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <fstream>
#include <map>
#include <optional>
#include <random>

namespace make {
namespace {

std::vector<TopoDS_Face> faces_of(const Solid& s) {
    std::vector<TopoDS_Face> out;
    for (TopExp_Explorer e(shape(s), TopAbs_FACE); e.More(); e.Next()) out.push_back(TopoDS::Face(e.Current()));
    return out;
}

TopoDS_Shell shell_of(const std::vector<TopoDS_Face>& faces) {
    BRep_Builder b;
    TopoDS_Shell shell;
    b.MakeShell(shell);
    for (const TopoDS_Face& f : faces) b.Add(shell, f);
    return shell;
}

TopoDS_Solid solid_of(const std::vector<TopoDS_Face>& faces) {
    BRep_Builder b;
    TopoDS_Solid solid;
    b.MakeSolid(solid);
    b.Add(solid, shell_of(faces));
    return solid;
}

TopoDS_Face copied(const TopoDS_Face& f) {
    return TopoDS::Face(BRepBuilderAPI_Copy(f).Shape());
}

// Corners of a wire of straight edges, counterclockwise about the face's plane; nothing where an edge is curved.
std::vector<gp_Pnt2d> corners_of(const TopoDS_Wire& w, const gp_Pln& plane) {
    std::vector<gp_Pnt2d> out;
    for (BRepTools_WireExplorer e(w); e.More(); e.Next()) {
        if (BRepAdaptor_Curve(e.Current()).GetType() != GeomAbs_Line) return {};
        double u = 0, v = 0;
        ElSLib::Parameters(plane, BRep_Tool::Pnt(e.CurrentVertex()), u, v);
        out.emplace_back(u, v);
    }
    double twice = 0;
    for (std::size_t i = 0; i < out.size(); ++i) twice += gp_Vec2d(out[i].XY()).Crossed(gp_Vec2d(out[(i + 1) % out.size()].XY()));
    if (twice < 0) std::reverse(out.begin(), out.end());
    return out;
}

// The border of a plane face moved into it; wires with curved edges stay where they are.
TopoDS_Face drawn_in(const TopoDS_Face& f, double by) {
    const BRepAdaptor_Surface surface(f);
    if (surface.GetType() != GeomAbs_Plane) return copied(f);
    const gp_Pln plane = surface.Plane();
    // Loops as they lie in the face seen from its plane's own side; it is turned over at the end.
    const TopoDS_Face forward = TopoDS::Face(f.Oriented(TopAbs_FORWARD));
    const TopoDS_Wire outer = BRepTools::OuterWire(forward);
    std::optional<BRepBuilderAPI_MakeFace> out;
    const auto take = [&](const TopoDS_Wire& w) {
        const std::vector<gp_Pnt2d> k = corners_of(w, plane);
        TopoDS_Wire moved = w;
        if (!k.empty()) {
            const double inward = w.IsSame(outer) ? by : -by;
            BRepBuilderAPI_MakePolygon polygon;
            for (std::size_t i = 0; i < k.size(); ++i) {
                // Where the lines before and after the corner meet, each moved to its left.
                const gp_Vec2d a(k[(i + k.size() - 1) % k.size()], k[i]), c(k[i], k[(i + 1) % k.size()]);
                const gp_Vec2d d = a.Normalized(), e = c.Normalized();
                const double t = inward * std::tan(0.5 * d.Angle(e));
                const gp_Vec2d left(-d.Y(), d.X());
                const gp_Pnt2d q = k[i].Translated(left * inward - d * t);
                polygon.Add(ElSLib::Value(q.X(), q.Y(), plane));
            }
            polygon.Close();
            moved = polygon.Wire();
            if (!w.IsSame(outer)) moved.Reverse();
        }
        if (!out) out.emplace(plane, moved, true);
        else out->Add(moved);
    };
    take(outer);
    for (TopExp_Explorer e(forward, TopAbs_WIRE); e.More(); e.Next())
        if (!e.Current().IsSame(outer)) take(TopoDS::Wire(e.Current()));
    TopoDS_Face face = out->Face();
    if (f.Orientation() == TopAbs_REVERSED) face.Reverse();
    return face;
}

void put(std::string& out, const void* data, std::size_t n) {
    out.append(static_cast<const char*>(data), n);
}

void save(const std::string& file, const std::string& bytes) {
    std::ofstream(file, std::ios::binary) << bytes;
}

}  // namespace

Solid revolve(const std::vector<std::vector<Curve>>& loops, const Vec3& on, const Vec3& axis, double angle) {
    BRepBuilderAPI_MakeFace face(gp_Pln(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), wire(loops[0]), true);
    for (std::size_t i = 1; i < loops.size(); ++i) face.Add(wire(loops[i]));
    return wrap(BRepPrimAPI_MakeRevol(face.Face(), gp_Ax1(pnt(on), dir(axis)), angle).Shape());
}

Solid sweep(const std::vector<std::vector<Curve>>& loops, const std::vector<Vec3>& points, const Vec3& x, bool closed, const Vec3& upright) {
    const Handle(TColgp_HArray1OfPnt) through = new TColgp_HArray1OfPnt(1, static_cast<int>(points.size()));
    for (std::size_t i = 0; i < points.size(); ++i) through->SetValue(static_cast<int>(i) + 1, pnt(points[i]));
    GeomAPI_Interpolate spline(through, closed, 1e-7);
    spline.Perform();
    gp_Pnt start;
    gp_Vec tangent;
    spline.Curve()->D1(spline.Curve()->FirstParameter(), start, tangent);
    const TopoDS_Wire spine = BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(spline.Curve()).Edge()).Wire();
    const Solid profile = moved(wrap([&] {
                                    BRepBuilderAPI_MakeFace face(gp_Pln(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), wire(loops[0]), true);
                                    for (std::size_t i = 1; i < loops.size(); ++i) face.Add(wire(loops[i]));
                                    return face.Shape();
                                }()),
                                place({start.X(), start.Y(), start.Z()}, {tangent.X(), tangent.Y(), tangent.Z()}, x));
    if (upright.isZero()) return wrap(BRepOffsetAPI_MakePipe(spine, shape(profile)).Shape());
    BRepOffsetAPI_MakePipeShell pipe(spine);
    pipe.SetMode(dir(upright));
    pipe.Add(BRepTools::OuterWire(TopoDS::Face(shape(profile))));
    pipe.Build();
    pipe.MakeSolid();
    return wrap(pipe.Shape());
}

Solid loft(const std::vector<std::vector<Curve>>& loops, bool ruled) {
    BRepOffsetAPI_ThruSections skin(true, ruled);
    for (const auto& loop : loops) skin.AddWire(wire(loop));
    skin.Build();
    return wrap(skin.Shape());
}

Solid rounded_edges(const Solid& s, double radius, const std::function<bool(const Vec3&)>& pick) {
    BRepFilletAPI_MakeFillet fillet(shape(s));
    TopTools_IndexedMapOfShape edges;
    TopExp::MapShapes(shape(s), TopAbs_EDGE, edges);
    for (int i = 1; i <= edges.Extent(); ++i) {
        GProp_GProps p;
        BRepGProp::LinearProperties(edges(i), p);
        const gp_Pnt c = p.CentreOfMass();
        if (pick({c.X(), c.Y(), c.Z()})) fillet.Add(radius, TopoDS::Edge(edges(i)));
    }
    return wrap(fillet.Shape());
}

Solid panel(const std::vector<std::vector<double>>& heights, double step, double thickness) {
    TColgp_Array2OfPnt points(1, static_cast<int>(heights.size()), 1, static_cast<int>(heights[0].size()));
    for (std::size_t i = 0; i < heights.size(); ++i)
        for (std::size_t j = 0; j < heights[i].size(); ++j)
            points.SetValue(static_cast<int>(i) + 1, static_cast<int>(j) + 1,
                            gp_Pnt(step * static_cast<double>(i), step * static_cast<double>(j), heights[i][j]));
    const Handle(Geom_BSplineSurface) surface = GeomAPI_PointsToBSplineSurface(points, 3, 5, GeomAbs_C2, 1e-4).Surface();
    const TopoDS_Face face = BRepBuilderAPI_MakeFace(surface, 1e-6).Face();
    return wrap(BRepPrimAPI_MakePrism(face, gp_Vec(0, 0, -thickness)).Shape());
}

Solid as_splines(const Solid& s) {
    return wrap(BRepBuilderAPI_NurbsConvert(shape(s), true).Shape());
}

int face_count(const Solid& s) {
    return static_cast<int>(faces_of(s).size());
}

Vec3 face_middle(const Solid& s, int face) {
    GProp_GProps p;
    BRepGProp::SurfaceProperties(faces_of(s)[static_cast<std::size_t>(face)], p);
    return {p.CentreOfMass().X(), p.CentreOfMass().Y(), p.CentreOfMass().Z()};
}

int face_at(const Solid& s, const Vec3& p) {
    int best = 0;
    for (int i = 1; i < face_count(s); ++i)
        if ((face_middle(s, i) - p).norm() < (face_middle(s, best) - p).norm()) best = i;
    return best;
}

Solid without_face(const Solid& s, int face) {
    auto faces = faces_of(s);
    faces.erase(faces.begin() + face);
    return wrap(shell_of(faces));
}

Solid with_doubled_face(const Solid& s, int face) {
    auto faces = faces_of(s);
    faces.push_back(copied(faces[static_cast<std::size_t>(face)]));
    return wrap(shell_of(faces));
}

Solid with_turned_face(const Solid& s, int face) {
    auto faces = faces_of(s);
    faces[static_cast<std::size_t>(face)].Reverse();
    return wrap(shell_of(faces));
}

Solid with_loose_face(const Solid& s, int face, const Vec3& gap) {
    auto faces = faces_of(s);
    gp_Trsf t;
    t.SetTranslation(gp_Vec(gap.x(), gap.y(), gap.z()));
    auto& f = faces[static_cast<std::size_t>(face)];
    f = TopoDS::Face(BRepBuilderAPI_Transform(copied(f), t, true).Shape());
    return wrap(shell_of(faces));
}

Solid as_loose_faces(const Solid& s) {
    BRep_Builder b;
    TopoDS_Compound all;
    b.MakeCompound(all);
    for (const TopoDS_Face& f : faces_of(s)) b.Add(all, copied(f));
    return wrap(all);
}

Solid as_faces_with_gaps(const Solid& s, double gap) {
    BRep_Builder b;
    TopoDS_Compound all;
    b.MakeCompound(all);
    for (const TopoDS_Face& f : faces_of(s)) b.Add(all, drawn_in(f, 0.5 * gap));
    return wrap(all);
}

Solid without_faces(const Solid& s, const std::function<bool(const Vec3& middle)>& pick) {
    std::vector<TopoDS_Face> kept;
    const auto all = faces_of(s);
    for (std::size_t i = 0; i < all.size(); ++i)
        if (!pick(face_middle(s, static_cast<int>(i)))) kept.push_back(all[i]);
    return wrap(shell_of(kept));
}

Solid inside_out(const Solid& s) {
    auto faces = faces_of(s);
    for (TopoDS_Face& f : faces) f.Reverse();
    return wrap(solid_of(faces));
}

Solid in_one_skin(const Solid& a, const Solid& b) {
    auto faces = faces_of(a);
    for (const TopoDS_Face& f : faces_of(b)) faces.push_back(f);
    return wrap(solid_of(faces));
}

void write_iges(const std::string& file, const std::vector<Item>& items, bool solid, const std::string& unit) {
    IGESControl_Controller::Init();
    IGESControl_Writer writer(unit == "INCH" ? "IN" : unit.c_str(), solid ? 1 : 0);
    for (const Item& i : items)
        if (!writer.AddShape(shape(i.solid))) throw std::runtime_error("cannot convert to IGES: " + i.name);
    writer.ComputeModel();
    if (!writer.Write(file.c_str())) throw std::runtime_error("cannot write " + file);
}

Facets tessellated(const Solid& s, double chord, double angle) {
    Facets out;
    TopoDS_Shape own = BRepBuilderAPI_Copy(shape(s)).Shape();  // facets of other fineness may hang on the original
    BRepTools::Clean(own);
    BRepMesh_IncrementalMesh mesher(own, chord, false, angle);
    for (TopExp_Explorer ex(own, TopAbs_FACE); ex.More(); ex.Next()) {
        const TopoDS_Face& face = TopoDS::Face(ex.Current());
        TopLoc_Location at;
        const auto mesh = BRep_Tool::Triangulation(face, at);
        if (mesh.IsNull()) continue;
        const int first = static_cast<int>(out.points.size()) - 1;  // the kernel counts from one
        for (int i = 1; i <= mesh->NbNodes(); ++i) {
            const gp_Pnt p = mesh->Node(i).Transformed(at);
            out.points.emplace_back(p.X(), p.Y(), p.Z());
        }
        for (int i = 1; i <= mesh->NbTriangles(); ++i) {
            std::array<int, 3> t{};
            mesh->Triangle(i).Get(t[0], t[1], t[2]);
            if (face.Orientation() == TopAbs_REVERSED) std::swap(t[1], t[2]);
            out.facets.push_back({first + t[0], first + t[1], first + t[2]});
        }
    }
    return out;
}

Facets scan(const halvo::Body& body, double spacing, double noise, unsigned seed) {
    Facets out;
    out.name = body.name;
    std::mt19937 random(seed);
    std::vector<Vec3> normals;
    // Points along each edge, once for both its faces; its ends are the vertices.
    std::vector<int> at_vertex(body.vertices.size(), -1);
    const auto add = [&](const Vec3& p) {
        out.points.push_back(p), normals.emplace_back(Vec3::Zero());
        return static_cast<int>(out.points.size()) - 1;
    };
    std::vector<std::vector<int>> along(body.edges.size());
    for (std::size_t e = 0; e < body.edges.size(); ++e) {
        const halvo::BodyEdge& edge = body.edges[e];
        if (edge.degenerate) throw std::runtime_error("scan: poles are not supported");
        const int n = std::max(1, static_cast<int>(std::ceil(edge.curve.length() / spacing)));
        for (int i = 0; i <= n; ++i) {
            const Vec3 p = edge.curve.point(edge.curve.parameter_at(static_cast<double>(i) / n));
            int& end = at_vertex[static_cast<std::size_t>(edge.vertices[i == 0 ? 0 : 1])];
            if (i == 0 || i == n) along[e].push_back(end >= 0 ? end : end = add(p));
            else along[e].push_back(add(p));
        }
    }
    for (const halvo::Face& f : body.faces) {
        // Planes as they are, cylinders unrolled; a seam takes part twice.
        const auto* round = std::get_if<halvo::CylinderSurface>(&f.surface);
        if (!round && !std::holds_alternative<halvo::PlaneSurface>(f.surface)) throw std::runtime_error("scan: planes and cylinders only");
        const double scale = round ? round->radius : 1;
        std::vector<Vec2> flat;
        std::vector<int> source;
        std::vector<std::array<int, 2>> segments;
        halvo::Box2 box;
        for (const auto& loop : f.loops) {
            const std::size_t first = flat.size();
            std::optional<double> last;
            for (const halvo::Coedge& use : loop) {
                auto ids = along[use.edge.index()];
                if (use.reversed) std::reverse(ids.begin(), ids.end());
                if (!last) last = use.uv_start.x();
                for (std::size_t i = 0; i + 1 < ids.size(); ++i) {
                    Vec2 q = halvo::surface_parameters(f.surface, out.points[static_cast<std::size_t>(ids[i])]);
                    if (round) {
                        if (i == 0) last = use.uv_start.x();
                        q.x() += 2 * halvo::pi * std::round((*last - q.x()) / (2 * halvo::pi));
                        last = q.x();
                        q.x() *= scale;
                    }
                    flat.push_back(q), source.push_back(ids[i]);
                    box.extend(q);
                }
            }
            for (std::size_t i = first; i < flat.size(); ++i) segments.push_back({static_cast<int>(i), static_cast<int>(i + 1 < flat.size() ? i + 1 : first)});
        }
        // A staggered grid inside, not too near to the boundary.
        std::vector<std::vector<Vec2>> loops(1);
        for (double y = box.min().y() + 0.4 * spacing; y < box.max().y(); y += 0.87 * spacing)
            for (double x = box.min().x() + spacing * (0.3 + 0.5 * (std::lround(y / spacing) % 2)); x < box.max().x(); x += spacing) {
                const Vec2 q(x, y);
                double nearest = 1e300;
                bool in = false;
                for (const auto& s : segments) {
                    const Vec2 &a = flat[static_cast<std::size_t>(s[0])], &b = flat[static_cast<std::size_t>(s[1])];
                    const double t = std::clamp((q - a).dot(b - a) / (b - a).squaredNorm(), 0.0, 1.0);
                    nearest = std::min(nearest, (q - a - t * (b - a)).norm());
                    if ((a.y() > y) != (b.y() > y) && x < (b.x() - a.x()) * (y - a.y()) / (b.y() - a.y()) + a.x()) in = !in;
                }
                if (!in || nearest < 0.45 * spacing) continue;
                flat.push_back(q);
                source.push_back(add(halvo::surface_point(f.surface, {x / scale, y})));
            }
        for (const halvo::Triangle& t : halvo::triangulate(flat, segments)) {
            std::array<int, 3> c{};
            for (std::size_t k = 0; k < 3; ++k) c[k] = source[static_cast<std::size_t>(t.v[k])];
            if (f.reversed) std::swap(c[1], c[2]);
            for (int k : c) normals[static_cast<std::size_t>(k)] += f.outward_or(out.points[static_cast<std::size_t>(k)], Vec3::Zero());
            out.facets.push_back(c);
        }
    }
    std::normal_distribution<double> deviate(0, 1);
    for (std::size_t i = 0; i < out.points.size(); ++i)
        if (noise > 0) out.points[i] += noise * deviate(random) * normals[i].normalized();
    return out;
}

void write_stl(const std::string& file, const std::vector<Facets>& parts, bool binary) {
    std::string out;
    if (binary) {
        out = "made for tests";
        out.resize(80, '\0');
        std::uint32_t n = 0;
        for (const Facets& p : parts) n += static_cast<std::uint32_t>(p.facets.size());
        put(out, &n, 4);
    }
    for (const Facets& p : parts) {
        if (!binary) out += "solid " + p.name + "\n";
        for (const auto& f : p.facets) {
            std::array<Vec3, 3> c;
            for (std::size_t k = 0; k < 3; ++k) c[k] = p.points[static_cast<std::size_t>(f[k])];
            const Vec3 n = (c[1] - c[0]).cross(c[2] - c[0]).normalized();
            if (binary) {
                for (const Vec3& v : {n, c[0], c[1], c[2]})
                    for (int k = 0; k < 3; ++k) {
                        const float x = static_cast<float>(v[k]);
                        put(out, &x, 4);
                    }
                out.append(2, '\0');
            } else {
                out += fmt::format(" facet normal {:g} {:g} {:g}\n  outer loop\n", n.x(), n.y(), n.z());
                for (const Vec3& v : c) out += fmt::format("   vertex {:.9g} {:.9g} {:.9g}\n", v.x(), v.y(), v.z());
                out += "  endloop\n endfacet\n";
            }
        }
        if (!binary) out += "endsolid " + p.name + "\n";
    }
    save(file, out);
}

void write_obj(const std::string& file, const std::vector<Facets>& parts) {
    std::string out = "# made for tests\n";
    int base = 1;
    for (const Facets& p : parts) {
        out += "o " + p.name + "\n";
        for (const Vec3& v : p.points) out += fmt::format("v {:.12g} {:.12g} {:.12g}\n", v.x(), v.y(), v.z());
        for (const auto& f : p.facets) out += fmt::format("f {0}//{0} {1}//{1} {2}//{2}\n", base + f[0], base + f[1], base + f[2]);
        base += static_cast<int>(p.points.size());
    }
    save(file, out);
}

void write_ply(const std::string& file, const Facets& part, const std::string& form) {
    std::string out = fmt::format(
        "ply\nformat {} 1.0\ncomment made for tests\nelement vertex {}\nproperty double x\nproperty double y\nproperty double z\n"
        "element face {}\nproperty list uchar int vertex_indices\nend_header\n",
        form, part.points.size(), part.facets.size());
    const auto number = [&](const auto& v) {
        std::array<char, sizeof v> b{};
        std::memcpy(b.data(), &v, sizeof v);
        if (form == "binary_big_endian") std::reverse(b.begin(), b.end());
        out.append(b.data(), b.size());
    };
    for (const Vec3& p : part.points) {
        if (form == "ascii") out += fmt::format("{:.12g} {:.12g} {:.12g}\n", p.x(), p.y(), p.z());
        else number(p.x()), number(p.y()), number(p.z());
    }
    for (const auto& f : part.facets) {
        if (form == "ascii") out += fmt::format("3 {} {} {}\n", f[0], f[1], f[2]);
        else number(static_cast<std::uint8_t>(3)), number(f[0]), number(f[1]), number(f[2]);
    }
    save(file, out);
}

}  // namespace make
