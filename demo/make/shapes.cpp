#include "shapes.hpp"

#include "kernel_shapes.hpp"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeSolid.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepGProp.hxx>
#include <BRepOffsetAPI_ThruSections.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRep_Builder.hxx>
#include <GProp_GProps.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Quantity_Color.hxx>
#include <STEPCAFControl_Controller.hxx>
#include <STEPCAFControl_Reader.hxx>
#include <STEPCAFControl_Writer.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <Standard_Failure.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>
#include <XCAFApp_Application.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>
#include <gp_Ax2.hxx>
#include <gp_Circ.hxx>

#include <chrono>
#include <cmath>
#include <random>
#include <stdexcept>

namespace make {
namespace {

gp_Trsf transform(const Eigen::Isometry3d& m) {
    gp_Trsf t;
    const auto& r = m.matrix();
    t.SetValues(r(0, 0), r(0, 1), r(0, 2), r(0, 3), r(1, 0), r(1, 1), r(1, 2), r(1, 3), r(2, 0), r(2, 1), r(2, 2), r(2, 3));
    return t;
}

Handle(TDocStd_Document) new_document() {
    Message::DefaultMessenger()->ChangePrinters().Clear();
    Handle(TDocStd_Document) doc;
    XCAFApp_Application::GetApplication()->NewDocument("MDTV-XCAF", doc);
    return doc;
}

}  // namespace

Solid box(const Vec3& corner, const Vec3& size) {
    return wrap(BRepPrimAPI_MakeBox(pnt(corner), pnt(corner + size)).Solid());
}

Solid cylinder(const Vec3& base, const Vec3& axis, double radius, double height) {
    return wrap(BRepPrimAPI_MakeCylinder(gp_Ax2(pnt(base), dir(axis)), radius, height).Solid());
}

Solid ball(const Vec3& centre, double radius) {
    return wrap(BRepPrimAPI_MakeSphere(pnt(centre), radius).Solid());
}

Solid extrude(const std::vector<std::vector<Curve>>& loops, double height) {
    BRepBuilderAPI_MakeFace face(gp_Pln(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), wire(loops[0]), true);
    for (std::size_t i = 1; i < loops.size(); ++i) face.Add(wire(loops[i]));
    return wrap(BRepPrimAPI_MakePrism(face.Face(), gp_Vec(0, 0, height)).Shape());
}

Solid taper(const std::vector<Vec2>& bottom, const std::vector<Vec2>& top, double height) {
    BRepOffsetAPI_ThruSections loft(true, true);
    const auto ring = [](const std::vector<Vec2>& c, double z) {
        std::vector<Curve> loop;
        for (std::size_t i = 0; i < c.size(); ++i) {
            const Vec2 &a = c[i], &b = c[(i + 1) % c.size()];
            loop.push_back(Curve::segment({a.x(), a.y(), z}, {b.x(), b.y(), z}));
        }
        return wire(loop);
    };
    loft.AddWire(ring(bottom, 0));
    loft.AddWire(ring(top, height));
    loft.CheckCompatibility(false);
    return wrap(loft.Shape());
}

Solid fuse(const std::vector<Solid>& parts) {
    TopTools_ListOfShape a, b;
    a.Append(shape(parts[0]));
    for (std::size_t i = 1; i < parts.size(); ++i) b.Append(shape(parts[i]));
    BRepAlgoAPI_Fuse op;
    op.SetArguments(a);
    op.SetTools(b);
    op.Build();
    return wrap(op.Shape());
}

Solid cut(const Solid& body, const std::vector<Solid>& tools) {
    TopTools_ListOfShape a, b;
    a.Append(shape(body));
    for (const Solid& t : tools) b.Append(shape(t));
    BRepAlgoAPI_Cut op;
    op.SetArguments(a);
    op.SetTools(b);
    op.Build();
    return wrap(op.Shape());
}

Solid unify(const Solid& body) {
    ShapeUpgrade_UnifySameDomain u(shape(body), true, true, false);
    u.Build();
    return wrap(u.Shape());
}

Solid moved(const Solid& s, const Eigen::Isometry3d& m) {
    return wrap(BRepBuilderAPI_Transform(shape(s), transform(m), true).Shape());
}

Solid shuffled(const Solid& s, unsigned seed) {
    TopoDS_Compound all;
    BRep_Builder b;
    b.MakeCompound(all);
    std::mt19937 random(seed);
    for (TopExp_Explorer e(shape(s), TopAbs_SOLID); e.More(); e.Next()) {
        std::vector<TopoDS_Shape> faces;
        for (TopExp_Explorer f(e.Current(), TopAbs_FACE); f.More(); f.Next()) faces.push_back(f.Current());
        for (std::size_t i = faces.size(); i > 1; --i) std::swap(faces[i - 1], faces[random() % i]);
        TopoDS_Shell shell;
        b.MakeShell(shell);
        for (const auto& f : faces) b.Add(shell, f);
        TopoDS_Solid solid;
        b.MakeSolid(solid);
        b.Add(solid, shell);
        b.Add(all, solid);
    }
    return wrap(all);
}

Solid opened(const Solid& s) {
    TopoDS_Shell shell;
    BRep_Builder b;
    b.MakeShell(shell);
    bool first = true;
    for (TopExp_Explorer f(shape(s), TopAbs_FACE); f.More(); f.Next()) {
        if (!first) b.Add(shell, f.Current());
        first = false;
    }
    return wrap(shell);
}

double volume(const Solid& s) {
    GProp_GProps p;
    BRepGProp::VolumeProperties(shape(s), p, 1e-10);
    return p.Mass();
}

double area(const Solid& s) {
    GProp_GProps p;
    BRepGProp::SurfaceProperties(shape(s), p, 1e-10);
    return p.Mass();
}

std::vector<Curve> polygon(const std::vector<Vec2>& corners) {
    return rounded(corners, std::vector<double>(corners.size(), 0.0));
}

std::vector<Curve> circle(double radius, const Vec2& centre) {
    halvo::Frame f;
    f.origin = {centre.x(), centre.y(), 0};
    return {Curve{halvo::CircleCurve{f, radius}, 0, 2 * halvo::pi}};
}

std::vector<Curve> reversed(const std::vector<Curve>& loop) {
    std::vector<Curve> out;
    for (auto it = loop.rbegin(); it != loop.rend(); ++it) out.push_back(it->reversed());
    return out;
}

std::vector<Curve> rounded(const std::vector<Vec2>& corners, const std::vector<double>& radius) {
    const std::size_t n = corners.size();
    struct Round {
        Vec2 from, to, centre;
        double r;
        bool convex;
    };
    std::vector<Round> rounds;
    for (std::size_t i = 0; i < n; ++i) {
        const Vec2 &a = corners[(i + n - 1) % n], &b = corners[i], &c = corners[(i + 1) % n];
        const Vec2 u = (a - b).normalized(), v = (c - b).normalized();
        const double half = 0.5 * std::acos(std::clamp(u.dot(v), -1.0, 1.0));
        const double back = radius[i] / std::tan(half);
        const Vec2 mid = (u + v).normalized();
        rounds.push_back(
            {b + back * u, b + back * v, b + radius[i] / std::sin(half) * mid, radius[i], (b - a).x() * (c - b).y() - (b - a).y() * (c - b).x() > 0});
    }
    std::vector<Curve> out;
    const auto up = [](const Vec2& p) { return Vec3(p.x(), p.y(), 0); };
    for (std::size_t i = 0; i < n; ++i) {
        const Round& r = rounds[i];
        if (r.r > 0) {
            halvo::Frame f;
            f.origin = up(r.centre);
            if (!r.convex) f.y = -f.y, f.z = -f.z;
            const auto angle = [&](const Vec2& p) {
                const Vec2 q = f.local2(up(p));
                return std::atan2(q.y(), q.x());
            };
            const double a0 = angle(r.from);
            double a1 = angle(r.to);
            while (a1 < a0) a1 += 2 * halvo::pi;
            out.push_back({halvo::CircleCurve{f, r.r}, a0, a1});
        }
        const Vec2 next = rounds[(i + 1) % n].from;
        if ((next - r.to).norm() > 1e-12) out.push_back(Curve::segment(up(r.to), up(next)));
    }
    return out;
}

std::vector<std::vector<Curve>> tube(double diameter, double thickness) {
    return {circle(diameter / 2), reversed(circle(diameter / 2 - thickness))};
}

std::vector<std::vector<Curve>> rectangular_tube(double width, double height, double thickness, double corner) {
    const auto rect = [](double w, double h) { return std::vector<Vec2>{{-w / 2, -h / 2}, {w / 2, -h / 2}, {w / 2, h / 2}, {-w / 2, h / 2}}; };
    const double in = std::max(0.0, corner - thickness);
    return {rounded(rect(width, height), std::vector<double>(4, corner)),
            reversed(rounded(rect(width - 2 * thickness, height - 2 * thickness), std::vector<double>(4, in)))};
}

Eigen::Isometry3d place(const Vec3& at, const Vec3& axis, const Vec3& x) {
    const halvo::Frame f = halvo::Frame::with_zx(at, axis, x);
    Eigen::Isometry3d m = Eigen::Isometry3d::Identity();
    m.linear().col(0) = f.x, m.linear().col(1) = f.y, m.linear().col(2) = f.z;
    m.translation() = at;
    return m;
}

void write_step(const std::string& file, const std::vector<Item>& items, const std::string& unit, const std::string& schema) {
    const Handle(TDocStd_Document) doc = new_document();
    const Handle(XCAFDoc_ShapeTool) shapes = XCAFDoc_DocumentTool::ShapeTool(doc->Main());
    const Handle(XCAFDoc_ColorTool) colours = XCAFDoc_DocumentTool::ColorTool(doc->Main());
    for (const Item& i : items) {
        const TDF_Label label = shapes->AddShape(shape(i.solid), false);
        TDataStd_Name::Set(label, i.name.c_str());
        colours->SetColor(label, Quantity_Color(i.colour[0], i.colour[1], i.colour[2], Quantity_TOC_RGB), XCAFDoc_ColorGen);
    }
    // The unit must be known before the writer starts its model.
    STEPCAFControl_Controller::Init();
    Interface_Static::SetCVal("write.step.unit", unit.c_str());
    Interface_Static::SetCVal("write.step.schema", schema.c_str());
    STEPCAFControl_Writer writer;
    writer.SetNameMode(true);
    writer.SetColorMode(true);
    if (!writer.Transfer(doc, STEPControl_AsIs) || writer.Write(file.c_str()) != IFSelect_RetDone) throw std::runtime_error("cannot write " + file);
}

void write_step_assembly(const std::string& file, const std::string& name, const Item& part, const std::vector<Eigen::Isometry3d>& places) {
    const Handle(TDocStd_Document) doc = new_document();
    const Handle(XCAFDoc_ShapeTool) shapes = XCAFDoc_DocumentTool::ShapeTool(doc->Main());
    const TDF_Label whole = shapes->NewShape(), product = shapes->AddShape(shape(part.solid), false);
    TDataStd_Name::Set(whole, name.c_str());
    TDataStd_Name::Set(product, part.name.c_str());
    for (const auto& m : places) shapes->AddComponent(whole, product, TopLoc_Location(transform(m)));
    shapes->UpdateAssemblies();
    STEPCAFControl_Controller::Init();
    Interface_Static::SetCVal("write.step.unit", "MM");
    STEPCAFControl_Writer writer;
    writer.SetNameMode(true);
    if (!writer.Transfer(doc, STEPControl_AsIs) || writer.Write(file.c_str()) != IFSelect_RetDone) throw std::runtime_error("cannot write " + file);
}

double kernel_read_seconds(const std::string& file) {
    const auto start = std::chrono::steady_clock::now();
    Handle(TDocStd_Document) doc = new_document();
    STEPCAFControl_Reader reader;
    reader.SetColorMode(true);
    reader.SetNameMode(true);
    if (reader.ReadFile(file.c_str()) != IFSelect_RetDone || !reader.Transfer(doc)) throw std::runtime_error("cannot read " + file);
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

double kernel_parse_seconds(const std::string& file) {
    const auto start = std::chrono::steady_clock::now();
    STEPCAFControl_Reader reader;
    if (reader.ReadFile(file.c_str()) != IFSelect_RetDone) throw std::runtime_error("cannot parse " + file);
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

}  // namespace make
