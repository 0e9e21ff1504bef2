// Opens STEP and IGES files with the CAD kernel and walks their product tree.
#include "reader/kernel_document.hpp"
#include "reader/kernel_shape.hpp"

#include <BRep_Builder.hxx>
#include <IFSelect_ReturnStatus.hxx>
#include <IGESCAFControl_Reader.hxx>
#include <IGESData_GlobalSection.hxx>
#include <IGESData_IGESModel.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Quantity_Color.hxx>
#include <STEPCAFControl_Reader.hxx>
#include <STEPControl_Reader.hxx>
#include <Standard_Failure.hxx>
#include <TColStd_SequenceOfAsciiString.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS_Compound.hxx>
#include <XCAFApp_Application.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_LayerTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>

#include <fmt/format.h>
#include <Eigen/LU>

#include <cstdlib>
#include <fstream>
#include <map>

namespace halvo::io {
namespace {

std::string unit_name(const std::string& kernel_name) {
    static const std::map<std::string, std::string> names = {{"millimetre", "mm"}, {"MM", "mm"},   {"metre", "m"},   {"M", "m"},
                                                             {"INCH", "inch"},     {"IN", "inch"}, {"inch", "inch"}, {"CM", "cm"},
                                                             {"centimetre", "cm"}, {"foot", "ft"}, {"FOOT", "ft"},   {"FT", "ft"}};
    const auto it = names.find(kernel_name);
    return it == names.end() ? kernel_name : it->second;
}

// A rotation and a shift; nothing where the placement also scales or mirrors.
std::optional<Eigen::Isometry3d> rigid(const gp_Trsf& t) {
    Eigen::Matrix3d r;
    for (int i = 1; i <= 3; ++i)
        for (int j = 1; j <= 3; ++j) r(i - 1, j - 1) = t.Value(i, j);
    // Placements in real files are often slightly off orthogonal: the nearest rotation stands for them.
    if (!(r.transpose() * r).isIdentity(1e-4) || r.determinant() < 0) return std::nullopt;
    for (int i = 0; i < 6 && !(r.transpose() * r).isIdentity(1e-15); ++i) r = Eigen::Matrix3d(0.5 * (r + r.inverse().transpose()));
    Eigen::Isometry3d m = Eigen::Isometry3d::Identity();
    m.linear() = r;
    m.translation() = Vec3(t.Value(1, 4), t.Value(2, 4), t.Value(3, 4));
    return m;
}

// Walks the product tree: solids, shells that belong to no solid, and faces that belong to no shell.
class TreeWalk {
public:
    explicit TreeWalk(const Handle(TDocStd_Document) & doc)
        : shapes_(XCAFDoc_DocumentTool::ShapeTool(doc->Main())),
          colours_(XCAFDoc_DocumentTool::ColorTool(doc->Main())),
          layers_(XCAFDoc_DocumentTool::LayerTool(doc->Main())) {}

    void run(Tree& tree, std::vector<TopoDS_Shape>& parts) {
        TDF_LabelSequence free;
        shapes_->GetFreeShapes(free);
        for (int i = 1; i <= free.Length(); ++i) visit(free.Value(i), TopLoc_Location(), {"", "", "", default_colour}, 0);
        if (!loose_.IsNull()) {
            tree.loose = static_cast<int>(parts_.size());
            first_loose_.part = tree.loose;
            parts_.push_back(loose_);
            instances_.push_back(first_loose_);
        }
        tree.instances = std::move(instances_);
        parts = std::move(parts_);
    }

private:
    static constexpr std::array<double, 3> default_colour{0.62, 0.66, 0.70};
    static constexpr int deepest = 64;
    struct Label {
        std::string name, path, layer;
        std::array<double, 3> colour;
    };

    static std::string name_of(const TDF_Label& label) {
        Handle(TDataStd_Name) attribute;
        if (!label.FindAttribute(TDataStd_Name::GetID(), attribute)) return {};
        const TCollection_ExtendedString& wide = attribute->Get();
        std::string text(static_cast<std::size_t>(wide.LengthOfCString()) + 1, '\0');
        char* buffer = text.data();
        wide.ToUTF8CString(buffer);
        text.resize(text.find('\0'));
        for (char& c : text)
            if (static_cast<unsigned char>(c) < 32) c = ' ';
        return text;
    }

    std::array<double, 3> colour_of(const TopoDS_Shape& shape, const std::array<double, 3>& inherited) {
        Quantity_Color c;
        for (XCAFDoc_ColorType type : {XCAFDoc_ColorSurf, XCAFDoc_ColorGen})
            if (colours_->GetColor(shape, type, c)) return {c.Red(), c.Green(), c.Blue()};
        return inherited;
    }

    std::string layer_of(const TDF_Label& label, const std::string& inherited) {
        Handle(TColStd_HSequenceOfExtendedString) names = layers_->GetLayers(label);
        if (names.IsNull() || names->IsEmpty()) return inherited;
        return TCollection_AsciiString(names->First(), '?').ToCString();
    }

    void visit(const TDF_Label& label, const TopLoc_Location& place, const Label& above, int depth) {
        if (depth > deepest) throw Error(ErrorKind::input, "its product tree is more than 64 levels deep or contains itself; export it again from CAD");
        TDF_Label target = label;
        TopLoc_Location here = place;
        Label own = above;
        own.name = name_of(label);
        own.layer = layer_of(label, above.layer);
        if (shapes_->IsReference(label)) {
            here = place * shapes_->GetLocation(label);
            shapes_->GetReferredShape(label, target);
            // Occurrence names are mostly numbers given by the writer; the product's name is the one people know.
            const std::string product = name_of(target);
            if (!product.empty()) own.name = product;
            own.layer = layer_of(target, own.layer);
        }
        own.path = above.path.empty() ? own.name : above.path + "/" + own.name;
        if (shapes_->IsAssembly(target)) {
            TDF_LabelSequence parts;
            shapes_->GetComponents(target, parts);
            for (int i = 1; i <= parts.Length(); ++i) visit(parts.Value(i), here, own, depth + 1);
            return;
        }
        TopoDS_Shape shape = shapes_->GetShape(target);
        own.colour = colour_of(shape, own.colour);
        // Raw: the kernel refuses placements that are slightly off orthogonal.
        shape.Location(here * shape.Location());
        if (own.name.empty()) own.name = "solid";
        if (own.path.empty()) own.path = own.name;
        collect(shape, own);
    }

    void collect(const TopoDS_Shape& shape, const Label& label) {
        const auto with_colour = [&](const TopoDS_Shape& s) {
            Label l = label;
            l.colour = colour_of(s, l.colour);
            return l;
        };
        for (TopExp_Explorer e(shape, TopAbs_SOLID); e.More(); e.Next()) add(e.Current(), with_colour(e.Current()));
        // Several shells of one face each are loose surfaces that the writer wrapped one by one.
        std::vector<TopoDS_Shape> shells, single;
        for (TopExp_Explorer e(shape, TopAbs_SHELL, TopAbs_SOLID); e.More(); e.Next()) {
            int faces = 0;
            for (TopExp_Explorer f(e.Current(), TopAbs_FACE); f.More(); f.Next()) ++faces;
            (faces == 1 ? single : shells).push_back(e.Current());
        }
        if (single.size() == 1) shells.push_back(single[0]), single.clear();
        for (const TopoDS_Shape& s : shells) add(s, label);
        for (const TopoDS_Shape& s : single)
            for (TopExp_Explorer f(s, TopAbs_FACE); f.More(); f.Next()) add_loose(f.Current(), label);
        for (TopExp_Explorer e(shape, TopAbs_FACE, TopAbs_SHELL); e.More(); e.Next()) add_loose(e.Current(), label);
    }

    void add_loose(const TopoDS_Shape& face, const Label& label) {
        if (loose_.IsNull()) {
            BRep_Builder().MakeCompound(loose_);
            first_loose_ = {0, Eigen::Isometry3d::Identity(), label.name, label.path, label.layer, label.colour};
        }
        BRep_Builder().Add(loose_, face);
    }

    void add(const TopoDS_Shape& shape, const Label& label) {
        const auto place = rigid(shape.Location().Transformation());
        // A part that is scaled or mirrored in place is a shape of its own.
        const TopoDS_Shape own = place ? shape.Located(TopLoc_Location()) : shape;
        const int known = seen_.FindIndex(own);
        const int part = known > 0 ? known - 1 : static_cast<int>(parts_.size());
        if (known == 0) {
            seen_.Add(own);
            parts_.push_back(own);
        }
        instances_.push_back({part, place.value_or(Eigen::Isometry3d::Identity()), label.name, label.path, label.layer, label.colour});
    }

    Handle(XCAFDoc_ShapeTool) shapes_;
    Handle(XCAFDoc_ColorTool) colours_;
    Handle(XCAFDoc_LayerTool) layers_;
    TopTools_IndexedMapOfShape seen_;
    std::vector<TopoDS_Shape> parts_;
    std::vector<Instance> instances_;
    TopoDS_Compound loose_;
    Instance first_loose_;
};

// The kernel would sew shells apart, turn faces and turn solids before anyone has seen them: the survey is to find what the
// file holds. Far from the origin it also takes the outlines of holes side by side for one that crosses itself. What it mends inside
// faces (missing parameter curves, seams, order of edges) stays.
void read_plainly(const std::filesystem::path& scratch) {
    for (const char* kind : {"STEP", "IGES"}) {
        std::ofstream out(scratch / kind);
        out << "From" << kind << ".exec.op: FixShape\n";
        for (const char* mode : {"FixShellOrientationMode", "FixFaceOrientationMode", "FixIntersectingWiresMode"})
            out << "From" << kind << ".FixShape." << mode << ": 0\n";
        ::setenv((std::string("CSF_") + kind + "Defaults").c_str(), scratch.c_str(), 1);
    }
}

std::string read_step(const std::string& file, Handle(TDocStd_Document) doc, const std::function<void(double)>& progress) {
    STEPCAFControl_Reader reader;
    reader.SetColorMode(true);
    reader.SetNameMode(true);
    reader.SetLayerMode(true);
    Interface_Static::SetCVal("xstep.cascade.unit", "MM");
    if (reader.ReadFile(file.c_str()) != IFSelect_RetDone) throw Error(ErrorKind::input, "not a readable STEP file; export it again from CAD");
    progress(0.4);
    if (!reader.Transfer(doc)) throw Error(ErrorKind::input, "the STEP file holds no shape; export solids from CAD");
    TColStd_SequenceOfAsciiString lengths, angles, solid_angles;
    reader.ChangeReader().FileUnits(lengths, angles, solid_angles);
    return lengths.Length() > 0 ? unit_name(lengths.Value(1).ToCString()) : "mm";
}

std::string read_iges(const std::string& file, Handle(TDocStd_Document) doc, const std::function<void(double)>& progress) {
    IGESCAFControl_Reader reader;
    reader.SetColorMode(true);
    reader.SetNameMode(true);
    reader.SetLayerMode(true);
    Interface_Static::SetCVal("xstep.cascade.unit", "MM");
    if (reader.ReadFile(file.c_str()) != IFSelect_RetDone) throw Error(ErrorKind::input, "not a readable IGES file; export it again from CAD");
    progress(0.4);
    if (!reader.Transfer(doc)) throw Error(ErrorKind::input, "the IGES file holds no shape; export solids or trimmed surfaces from CAD");
    const Handle(TCollection_HAsciiString) unit = reader.IGESModel()->GlobalSection().UnitName();
    return unit.IsNull() ? "mm" : unit_name(unit->ToCString());
}

}  // namespace

struct KernelDocument::Inside {
    Tree tree;
    std::vector<TopoDS_Shape> parts;
    std::string shown;
};

namespace {

// One line, whatever the kernel says.
[[noreturn]] void rethrow(const Standard_Failure& failure, const char* kind) {
    std::string said = failure.GetMessageString();
    if (said.empty()) said = failure.DynamicType()->Name();
    for (char& c : said)
        if (c == '\n' || c == '\r') c = ' ';
    throw Error(ErrorKind::input, fmt::format("the {} reader failed ({}); export the file again from CAD", kind, said));
}

}  // namespace

KernelDocument::KernelDocument(const std::filesystem::path& file, FileKind kind, const std::string& shown, const std::filesystem::path& scratch,
                               const std::function<void(double)>& progress)
    : inside_(std::make_unique<Inside>()) {
    inside_->shown = shown;
    Message::DefaultMessenger()->ChangePrinters().Clear();
    try {
        Handle(TDocStd_Document) doc;
        XCAFApp_Application::GetApplication()->NewDocument("MDTV-XCAF", doc);
        progress(0.05);
        read_plainly(scratch);
        inside_->tree.unit = kind == FileKind::iges ? read_iges(file.string(), doc, progress) : read_step(file.string(), doc, progress);
        TreeWalk(doc).run(inside_->tree, inside_->parts);
        if (inside_->tree.instances.empty())
            throw Error(ErrorKind::input, fmt::format("the {} file holds no solids and no surfaces; export solids or closed shells from CAD", kind_name(kind)));
        inside_->tree.parts = static_cast<int>(inside_->parts.size());
        for (const TopoDS_Shape& s : inside_->parts) {
            int faces = 0;
            for (TopExp_Explorer e(s, TopAbs_FACE); e.More(); e.Next()) ++faces;
            inside_->tree.weight.push_back(faces);
        }
    } catch (const Standard_Failure& failure) {
        rethrow(failure, kind_name(kind));
    }
}

KernelDocument::~KernelDocument() = default;

const Tree& KernelDocument::tree() const {
    return inside_->tree;
}

Body KernelDocument::part(int i) const {
    try {
        return convert_shape(inside_->parts[static_cast<std::size_t>(i)]);
    } catch (const Standard_Failure& failure) {
        rethrow(failure, "CAD");
    }
}

}  // namespace halvo::io
