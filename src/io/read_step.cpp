// The one file that sees the CAD kernel: it parses, evaluates and tessellates; everything is converted at once.
#include "io/read_step.hpp"

#include "io/guard.hpp"
#include "io/recognise.hpp"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepTools.hxx>
#include <BRepTools_WireExplorer.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <GCPnts_TangentialDeflection.hxx>
#include <IFSelect_ReturnStatus.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <OSD_Exception.hxx>
#include <Poly_Triangulation.hxx>
#include <Quantity_Color.hxx>
#include <STEPCAFControl_Reader.hxx>
#include <STEPControl_Reader.hxx>
#include <Standard_ErrorHandler.hxx>
#include <Standard_Failure.hxx>
#include <TColStd_SequenceOfAsciiString.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <XCAFApp_Application.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>

#include <algorithm>
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

struct Found {
    TopoDS_Shape shape;
    std::string name, path;
    std::array<double, 3> colour;
};

// Walks the product tree and collects solids, and shells that belong to none.
class TreeWalk {
public:
    explicit TreeWalk(const Handle(TDocStd_Document) & doc)
        : shapes_(XCAFDoc_DocumentTool::ShapeTool(doc->Main())), colours_(XCAFDoc_DocumentTool::ColorTool(doc->Main())) {}

    std::vector<Found> run() {
        TDF_LabelSequence free;
        shapes_->GetFreeShapes(free);
        for (int i = 1; i <= free.Length(); ++i) visit(free.Value(i), TopLoc_Location(), "", default_colour);
        return std::move(found_);
    }

private:
    static constexpr std::array<double, 3> default_colour{0.62, 0.66, 0.70};

    static std::string name_of(const TDF_Label& label) {
        Handle(TDataStd_Name) attribute;
        if (!label.FindAttribute(TDataStd_Name::GetID(), attribute)) return {};
        TCollection_AsciiString text(attribute->Get(), '?');
        return text.ToCString();
    }

    std::array<double, 3> colour_of(const TopoDS_Shape& shape, const std::array<double, 3>& inherited) {
        Quantity_Color c;
        for (XCAFDoc_ColorType type : {XCAFDoc_ColorSurf, XCAFDoc_ColorGen})
            if (colours_->GetColor(shape, type, c)) return {c.Red(), c.Green(), c.Blue()};
        return inherited;
    }

    void visit(const TDF_Label& label, const TopLoc_Location& place, const std::string& above, std::array<double, 3> colour) {
        TDF_Label target = label;
        TopLoc_Location here = place;
        std::string name = name_of(label);
        if (shapes_->IsReference(label)) {
            here = place * shapes_->GetLocation(label);
            shapes_->GetReferredShape(label, target);
            // Occurrence names are mostly numbers given by the writer; the product's name is the one people know.
            const std::string product = name_of(target);
            if (!product.empty()) name = product;
        }
        const std::string path = above.empty() ? name : above + "/" + name;
        if (shapes_->IsAssembly(target)) {
            TDF_LabelSequence parts;
            shapes_->GetComponents(target, parts);
            for (int i = 1; i <= parts.Length(); ++i) visit(parts.Value(i), here, path, colour);
            return;
        }
        TopoDS_Shape shape = shapes_->GetShape(target);
        colour = colour_of(shape, colour);
        shape.Move(here);
        collect(shape, name.empty() ? "solid" : name, path.empty() ? "solid" : path, colour);
    }

    void collect(const TopoDS_Shape& shape, const std::string& name, const std::string& path, const std::array<double, 3>& colour) {
        for (TopExp_Explorer e(shape, TopAbs_SOLID); e.More(); e.Next()) found_.push_back({e.Current(), name, path, colour_of(e.Current(), colour)});
        for (TopExp_Explorer e(shape, TopAbs_SHELL, TopAbs_SOLID); e.More(); e.Next()) found_.push_back({e.Current(), name, path, colour});
    }

    Handle(XCAFDoc_ShapeTool) shapes_;
    Handle(XCAFDoc_ColorTool) colours_;
    std::vector<Found> found_;
};

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

// The surface, and whether its own normal is opposite to the kernel's natural one.
std::pair<Surface, bool> convert_surface(const TopoDS_Face& face, double tol) {
    const BRepAdaptor_Surface s(face, true);
    switch (s.GetType()) {
        case GeomAbs_Plane: {
            const gp_Ax3 ax = s.Plane().Position();
            Frame f = right_handed(ax);
            if (!ax.Direct()) f.y = -f.y, f.z = -f.z;
            return {PlaneSurface{f}, false};
        }
        case GeomAbs_Cylinder:
            return {CylinderSurface{right_handed(s.Cylinder().Position()), s.Cylinder().Radius()}, !s.Cylinder().Position().Direct()};
        case GeomAbs_Cone:
            return {ConeSurface{right_handed(s.Cone().Position()), s.Cone().RefRadius(), s.Cone().SemiAngle()}, !s.Cone().Position().Direct()};
        case GeomAbs_Sphere:
            return {SphereSurface{right_handed(s.Sphere().Position()), s.Sphere().Radius()}, !s.Sphere().Position().Direct()};
        case GeomAbs_Torus:
            return {TorusSurface{right_handed(s.Torus().Position()), s.Torus().MajorRadius(), s.Torus().MinorRadius()}, !s.Torus().Position().Direct()};
        default:
            break;
    }
    const double u0 = s.FirstUParameter(), u1 = s.LastUParameter(), v0 = s.FirstVParameter(), v1 = s.LastVParameter();
    std::vector<Vec3> grid;
    for (int i = 0; i < 5; ++i)
        for (int j = 0; j < 5; ++j) grid.push_back(vec(s.Value(u0 + (u1 - u0) * i / 4, v0 + (v1 - v0) * j / 4)));
    gp_Pnt p;
    gp_Vec du, dv;
    s.D1(0.5 * (u0 + u1), 0.5 * (v0 + v1), p, du, dv);
    const gp_Vec n = du.Crossed(dv);
    if (n.Magnitude() > 1e-12)
        if (const auto plane = recognise_plane(grid, Vec3(n.X(), n.Y(), n.Z()), tol)) return {PlaneSurface{*plane}, false};
    return {FreeSurface{}, false};
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
        uses_.assign(body_.edges.size(), 0);
        for (int i = 1; i <= faces.Extent(); ++i) convert_face(TopoDS::Face(faces(i)), edges);
        for (std::size_t i = 0; i < body_.edges.size(); ++i)
            if (!body_.edges[i].degenerate && uses_[i] != 2) body_.closed = false;
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

    void convert_face(const TopoDS_Face& face, const TopTools_IndexedMapOfShape& edges) {
        Face out;
        const bool turned = face.Orientation() == TopAbs_REVERSED;
        const TopoDS_Face forward = TopoDS::Face(face.Oriented(TopAbs_FORWARD));
        const auto [surface, flipped] = convert_surface(forward, 1e-7);
        out.surface = surface;
        out.reversed = turned != flipped;
        for (TopExp_Explorer w(forward, TopAbs_WIRE); w.More(); w.Next()) {
            auto loop = convert_wire(TopoDS::Wire(w.Current()), forward, edges, flipped);
            if (turned) {
                std::reverse(loop.begin(), loop.end());
                for (Coedge& c : loop) c.reversed = !c.reversed, std::swap(c.uv_start, c.uv_end);
            }
            if (!loop.empty()) out.loops.push_back(std::move(loop));
        }
        for (const auto& loop : out.loops)
            for (const Coedge& c : loop) ++uses_[c.edge.index()];
        add_facets(face, out);
        body_.faces.push_back(std::move(out));
    }

    std::vector<Coedge> convert_wire(const TopoDS_Wire& wire, const TopoDS_Face& face, const TopTools_IndexedMapOfShape& edges, bool flipped) {
        std::vector<TopoDS_Edge> ordered;
        for (BRepTools_WireExplorer w(wire, face); w.More(); w.Next()) ordered.push_back(w.Current());
        std::vector<TopoDS_Edge> plain;
        for (TopExp_Explorer w(wire, TopAbs_EDGE); w.More(); w.Next()) plain.push_back(TopoDS::Edge(w.Current()));
        if (ordered.size() != plain.size()) ordered = plain;
        std::vector<Coedge> loop;
        for (const TopoDS_Edge& e : ordered) {
            if (e.Orientation() == TopAbs_INTERNAL || e.Orientation() == TopAbs_EXTERNAL) continue;
            Coedge c;
            c.edge = BodyEdgeId(edges.FindIndex(e) - 1);
            c.reversed = e.Orientation() == TopAbs_REVERSED;
            double a = 0, b = 0;
            const Handle(Geom2d_Curve) pc = BRep_Tool::CurveOnSurface(e, face, a, b);
            if (!pc.IsNull()) {
                const gp_Pnt2d p = pc->Value(c.reversed ? b : a), q = pc->Value(c.reversed ? a : b);
                const double sign = flipped ? -1 : 1;
                c.uv_start = {sign * p.X(), p.Y()};
                c.uv_end = {sign * q.X(), q.Y()};
            }
            loop.push_back(c);
        }
        return loop;
    }

    void add_facets(const TopoDS_Face& face, Face& out) {
        out.first_facet = body_.facets.size();
        TopLoc_Location place;
        const Handle(Poly_Triangulation) mesh = BRep_Tool::Triangulation(face, place);
        if (mesh.IsNull()) return;
        const int base = static_cast<int>(body_.points.size());
        for (int i = 1; i <= mesh->NbNodes(); ++i) body_.points.push_back(vec(mesh->Node(i).Transformed(place.Transformation())));
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
    std::vector<int> uses_;
};

// Twice volume over area, from the facets: the thickness of a thin body, half the depth of a stocky one.
double rough_thickness(const Body& b) {
    double area = 0, volume = 0;
    for (std::size_t i = 0; i < b.facets.size(); ++i) {
        area += b.facet_area(i);
        const auto at = [&](std::size_t k) { return Vec3(b.points[static_cast<std::size_t>(b.facets[i].corners[k])] - b.points[0]); };
        volume += at(0).dot(at(1).cross(at(2))) / 6;
    }
    return area > 0 ? 2 * std::abs(volume) / area : 0;
}

Body convert_solid(const TopoDS_Shape& shape) {
    Bnd_Box box;
    BRepBndLib::Add(shape, box, false);
    const double size = box.IsVoid() ? 1 : std::sqrt(box.SquareExtent());
    constexpr double angle = 0.35;
    BRepMesh_IncrementalMesh coarse(shape, 0.005 * size, false, angle, false);
    Body first = SolidConverter(shape, 0.005 * size).run();
    // Facets only find things; a few hundredths of the thickness keeps them inside thin curved walls.
    const double chord = std::clamp(0.03 * rough_thickness(first), 1e-5 * size, 0.005 * size);
    const bool curved = std::any_of(first.faces.begin(), first.faces.end(), [](const Face& f) { return !std::holds_alternative<PlaneSurface>(f.surface); });
    if (!curved) return first;
    BRepTools::Clean(shape);
    BRepMesh_IncrementalMesh fine(shape, chord, false, angle, false);
    return SolidConverter(shape, chord).run();
}

std::string unit_name(const std::string& kernel_name) {
    static const std::map<std::string, std::string> names = {{"millimetre", "mm"}, {"MM", "mm"},         {"metre", "m"}, {"M", "m"},    {"INCH", "inch"},
                                                             {"inch", "inch"},     {"centimetre", "cm"}, {"foot", "ft"}, {"FOOT", "ft"}};
    const auto it = names.find(kernel_name);
    return it == names.end() ? kernel_name : it->second;
}

}  // namespace

Assembly read_step(const std::filesystem::path& file, const Observer& observer) {
    Message::DefaultMessenger()->ChangePrinters().Clear();
    const KernelGuard guard;
    try {
        OCC_CATCH_SIGNALS
        Handle(TDocStd_Document) doc;
        XCAFApp_Application::GetApplication()->NewDocument("MDTV-XCAF", doc);
        STEPCAFControl_Reader reader;
        reader.SetColorMode(true);
        reader.SetNameMode(true);
        Interface_Static::SetCVal("xstep.cascade.unit", "MM");
        observer.tell("read", 0.05);
        if (reader.ReadFile(file.c_str()) != IFSelect_RetDone)
            throw Error(ErrorKind::input, file.string() + ": not a readable STEP file; export it again from CAD");
        observer.tell("read", 0.4);
        if (!reader.Transfer(doc)) throw Error(ErrorKind::input, file.string() + ": the STEP file holds no shape; export solids from CAD");
        Assembly assembly;
        TColStd_SequenceOfAsciiString lengths, angles, solid_angles;
        reader.ChangeReader().FileUnits(lengths, angles, solid_angles);
        if (lengths.Length() > 0) assembly.unit = unit_name(lengths.Value(1).ToCString());
        std::vector<Found> found = TreeWalk(doc).run();
        if (found.empty()) throw Error(ErrorKind::input, file.string() + ": the STEP file holds no solids; export solids or closed shells from CAD");
        Bnd_Box box;
        for (const Found& f : found) BRepBndLib::Add(f.shape, box, false);
        if (!box.IsVoid()) assembly.shift = 0.5 * (vec(box.CornerMin()) + vec(box.CornerMax()));
        gp_Trsf move;
        move.SetTranslation(gp_Vec(-assembly.shift.x(), -assembly.shift.y(), -assembly.shift.z()));
        for (std::size_t i = 0; i < found.size(); ++i) {
            observer.tell("read", 0.5 + 0.5 * static_cast<double>(i) / static_cast<double>(found.size()));
            // Raw: assembly placements in real files are often slightly off orthogonal, which the kernel would refuse.
            Body body = convert_solid(found[i].shape.Located(TopLoc_Location(move) * found[i].shape.Location()));
            body.name = found[i].name;
            body.path = found[i].path;
            body.colour = found[i].colour;
            finish_body(body);
            assembly.bodies.push_back(std::move(body));
        }
        finish_assembly(assembly);
        return assembly;
    } catch (const Standard_Failure& failure) {
        // One line, whatever the kernel says.
        std::string said = failure.GetMessageString();
        if (said.empty()) said = failure.DynamicType()->Name();
        for (char& c : said)
            if (c == '\n' || c == '\r') c = ' ';
        throw Error(ErrorKind::input, file.string() + ": the STEP reader failed (" + said + "); export the file again from CAD");
    }
}

}  // namespace halvo::io
