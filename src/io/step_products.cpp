#include "io/step_products.hpp"

#include "io/in_parts.hpp"
#include "io/step_body.hpp"

#include <fmt/format.h>
#include <Eigen/LU>

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <set>

namespace halvo::io {
namespace {

constexpr int deepest_product = 64;              // levels of sub-assemblies; a tree that holds itself has more
constexpr std::size_t most_instances = 2000000;  // that a small file can name by assemblies of assemblies

struct NamedUnit {
    double factor;  // mm
    const char* name;
};
constexpr std::array<NamedUnit, 5> length_units{{{1, "mm"}, {1000, "m"}, {25.4, "inch"}, {10, "cm"}, {304.8, "ft"}}};

double si_prefix(std::string_view p) {
    static const std::map<std::string_view, double> known{{"EXA", 1e18},  {"PETA", 1e15},  {"TERA", 1e12},   {"GIGA", 1e9},   {"MEGA", 1e6},   {"KILO", 1e3},
                                                          {"HECTO", 1e2}, {"DECA", 1e1},   {"DECI", 1e-1},   {"CENTI", 1e-2}, {"MILLI", 1e-3}, {"MICRO", 1e-6},
                                                          {"NANO", 1e-9}, {"PICO", 1e-12}, {"FEMTO", 1e-15}, {"ATTO", 1e-18}};
    const auto it = known.find(p);
    if (it == known.end()) throw NotUnderstood(fmt::format("a unit with the prefix {}", p));
    return it->second;
}

// The factor of a unit against metre or radian.
double unit_factor(const ExchangeFile& file, std::uint64_t id, int depth = 0) {
    if (depth > 8) throw NotUnderstood("a unit made of itself");
    if (auto si = file.part(id, "SI_UNIT")) {
        double f = 1;
        if (si->next() == '.') f = si_prefix(si->enumeration());
        else si->skip();
        return f;
    }
    auto other = file.part(id, "CONVERSION_BASED_UNIT");
    if (!other) throw NotUnderstood("a unit of an unknown kind");
    other->skip();
    const std::uint64_t measure = other->reference();
    std::optional<Parameters21> m;
    if (file.keyword(measure).empty()) m = file.part(measure, "MEASURE_WITH_UNIT");
    else m = file.of(measure);
    if (!m) throw NotUnderstood("a unit without measure");
    const double value = m->real();
    return value * unit_factor(file, m->reference(), depth + 1);
}

StepUnits units_of(const ExchangeFile& file, std::uint64_t context) {
    StepUnits out;
    auto assigned = file.part(context, "GLOBAL_UNIT_ASSIGNED_CONTEXT");
    if (!assigned) throw NotUnderstood("a shape without units");
    bool length = false;
    for (const std::uint64_t u : assigned->references()) {
        if (file.part(u, "LENGTH_UNIT")) out.length = 1000 * unit_factor(file, u), length = true;
        else if (file.part(u, "PLANE_ANGLE_UNIT")) out.angle = unit_factor(file, u);
    }
    if (!length || !(out.length > 0) || !(out.angle > 0)) throw NotUnderstood("a shape without a unit of length");
    return out;
}

std::string unit_name(double length) {
    for (const NamedUnit& u : length_units)
        if (std::abs(length / u.factor - 1) < 1e-9) return u.name;
    throw NotUnderstood(fmt::format("a unit of {} mm", length));
}

// From the frame of one placement to that of another; nothing where it is none.
Eigen::Isometry3d to_frame(const Frame& f) {
    Eigen::Isometry3d m = Eigen::Isometry3d::Identity();
    m.linear() << f.x, f.y, f.z;
    m.translation() = f.origin;
    return m;
}

// Colours by what wears them.
class Styles {
public:
    explicit Styles(const ExchangeFile& file) : file_(file) {
        for (const char* kind : {"STYLED_ITEM", "OVER_RIDING_STYLED_ITEM"})
            for (const std::uint64_t id : file.all(kind)) {
                Parameters21 p = file.of(id);
                p.skip();
                const auto styles = p.references();
                if (const auto item = p.reference_or_none()) styles_.emplace(*item, styles);
            }
        for (const std::uint64_t id : file.all("PRESENTATION_LAYER_ASSIGNMENT")) {
            Parameters21 p = file.of(id);
            const std::string name = p.text();
            p.skip();
            for (p.open(); !p.closed();)
                if (const auto item = p.reference_or_none()) layers_.emplace(*item, name);
        }
    }

    [[nodiscard]] std::optional<std::array<double, 3>> colour(std::uint64_t item) const {
        const auto it = styles_.find(item);
        if (it == styles_.end()) return std::nullopt;
        for (const std::uint64_t s : it->second)
            if (const auto c = look(s, 0)) return c;
        return std::nullopt;
    }

    [[nodiscard]] std::optional<std::string> layer(std::uint64_t item) const {
        const auto it = layers_.find(item);
        return it == layers_.end() ? std::nullopt : std::optional(it->second);
    }

private:
    // Down the chain from the style to the first colour of a surface: what stands between has one list or one reference each.
    [[nodiscard]] std::optional<std::array<double, 3>> look(std::uint64_t id, int depth) const {
        constexpr int deepest_style = 8;
        if (depth > deepest_style || !file_.has(id)) return std::nullopt;
        const std::string_view kind = file_.keyword(id);
        if (kind.empty()) return std::nullopt;
        Parameters21 p = file_.of(id);
        if (kind == "COLOUR_RGB") {
            p.skip();
            std::array<double, 3> c{};
            for (double& x : c) x = linear(std::clamp(p.real(), 0.0, 1.0));
            return c;
        }
        if (kind == "DRAUGHTING_PRE_DEFINED_COLOUR" || kind == "PRE_DEFINED_COLOUR") return named(p.text());
        if (kind == "PRESENTATION_STYLE_ASSIGNMENT" || kind == "PRESENTATION_STYLE_BY_CONTEXT") return among(p, depth);
        if (kind == "SURFACE_STYLE_USAGE") {
            p.skip();
            return look(p.reference(), depth + 1);
        }
        if (kind == "SURFACE_SIDE_STYLE" || kind == "FILL_AREA_STYLE") {
            p.skip();
            return among(p, depth);
        }
        if (kind == "SURFACE_STYLE_FILL_AREA") return look(p.reference(), depth + 1);
        if (kind == "FILL_AREA_STYLE_COLOUR") {
            p.skip();
            return look(p.reference(), depth + 1);
        }
        if (kind == "SURFACE_STYLE_RENDERING" || kind == "SURFACE_STYLE_RENDERING_WITH_PROPERTIES") {
            p.skip();
            return look(p.reference(), depth + 1);
        }
        return std::nullopt;
    }

    std::optional<std::array<double, 3>> among(Parameters21& p, int depth) const {
        for (p.open(); !p.closed();)
            if (const auto id = p.reference_or_none())
                if (const auto c = look(*id, depth + 1)) return c;
        return std::nullopt;
    }

    // Files hold colours as screens do (IEC 61966-2-1).
    static double linear(double c) { return c <= 0.04045 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4); }

    static std::optional<std::array<double, 3>> named(const std::string& name) {
        static const std::map<std::string, std::array<double, 3>> known{{"red", {1, 0, 0}},    {"green", {0, 1, 0}},   {"blue", {0, 0, 1}},
                                                                        {"yellow", {1, 1, 0}}, {"magenta", {1, 0, 1}}, {"cyan", {0, 1, 1}},
                                                                        {"black", {0, 0, 0}},  {"white", {1, 1, 1}}};
        const auto it = known.find(name);
        return it == known.end() ? std::nullopt : std::optional(it->second);
    }

    const ExchangeFile& file_;
    std::map<std::uint64_t, std::vector<std::uint64_t>> styles_;
    std::map<std::uint64_t, std::string> layers_;
};

class ProductWalk {
public:
    explicit ProductWalk(const ExchangeFile& file) : file_(file), styles_(file) {}

    StepTree run() {
        collect_shapes();
        collect_usage();
        std::set<std::uint64_t> used;
        for (const auto& [parent, list] : children_)
            for (const Use& u : list) used.insert(u.child);
        std::set<std::uint64_t> roots;
        for (const auto& [product, shapes] : shapes_)
            if (!used.count(product)) roots.insert(product);
        for (const auto& [product, list] : children_)
            if (!used.count(product)) roots.insert(product);
        if (roots.empty()) throw NotUnderstood("a product tree without root");
        for (const std::uint64_t r : roots) {
            Label label;
            label.name = name_of(r);
            visit(r, Eigen::Isometry3d::Identity(), label, 0);
        }
        if (out_.tree.instances.empty()) throw NotUnderstood("no solids");
        out_.tree.parts = static_cast<int>(out_.parts.size());
        out_.tree.unit = unit_name(first_unit_);
        return std::move(out_);
    }

private:
    struct Label {
        std::string name, path, layer;
        std::array<double, 3> colour = Instance{}.colour;
    };
    struct Use {
        std::uint64_t child = 0, usage = 0;
    };
    // A shell of one face.
    struct Single {
        std::uint64_t shell = 0;
        Label label;
    };
    struct Relation {
        std::uint64_t one = 0, other = 0, item_one = 0, item_other = 0;
    };

    void collect_shapes() {
        for (const std::uint64_t id : file_.all("SHAPE_DEFINITION_REPRESENTATION")) {
            Parameters21 p = file_.of(id);
            const std::uint64_t definition = p.reference(), shape = p.reference();
            const std::string_view kind = file_.keyword(definition);
            if (kind != "PRODUCT_DEFINITION_SHAPE") continue;  // of a part of a product's shape: no body of its own
            Parameters21 d = file_.of(definition);
            d.skip(2);
            const std::uint64_t of = d.reference();
            if (file_.keyword(of).starts_with("PRODUCT_DEFINITION") && file_.keyword(of) != "PRODUCT_DEFINITION_SHAPE") shapes_[of].push_back(shape);
        }
        // Representations that are one shape.
        for (const std::uint64_t id : file_.all("SHAPE_REPRESENTATION_RELATIONSHIP")) {
            Parameters21 p = file_.of(id);
            p.skip(2);
            const std::uint64_t a = p.reference(), b = p.reference();
            same_shape_[a].push_back(b), same_shape_[b].push_back(a);
        }
        for (const std::uint64_t id : file_.complex()) {
            auto p = file_.part(id, "REPRESENTATION_RELATIONSHIP");
            if (!p || file_.part(id, "REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION")) continue;
            p->skip(2);
            const std::uint64_t a = p->reference(), b = p->reference();
            same_shape_[a].push_back(b), same_shape_[b].push_back(a);
        }
    }

    void collect_usage() {
        for (const std::uint64_t id : file_.all("NEXT_ASSEMBLY_USAGE_OCCURRENCE")) {
            Parameters21 p = file_.of(id);
            p.skip(3);
            const std::uint64_t parent = p.reference(), child = p.reference();
            children_[parent].push_back({child, id});
        }
        for (const std::uint64_t id : file_.all("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION")) {
            Parameters21 p = file_.of(id);
            const std::uint64_t relation = p.reference();
            Parameters21 d = file_.of(p.reference(), "PRODUCT_DEFINITION_SHAPE");
            d.skip(2);
            const std::uint64_t usage = d.reference();
            auto ends = file_.part(relation, "REPRESENTATION_RELATIONSHIP"), how = file_.part(relation, "REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION");
            if (!ends || !how) throw NotUnderstood("a placement of a product that is no transformation");
            Relation r;
            ends->skip(2);
            r.one = ends->reference(), r.other = ends->reference();
            Parameters21 t = file_.of(how->reference(), "ITEM_DEFINED_TRANSFORMATION");
            t.skip(2);
            r.item_one = t.reference(), r.item_other = t.reference();
            if (!placed_.emplace(usage, r).second) throw NotUnderstood("a usage with two placements");
        }
    }

    std::string name_of(std::uint64_t definition) const {
        Parameters21 p = file_.of(definition);
        p.skip(2);
        Parameters21 f = file_.of(p.reference());
        f.skip(2);
        Parameters21 product = file_.of(f.reference());
        const std::string id = product.text(), name = product.text();
        return name.empty() ? id : name;
    }

    // All representations that are the shape of a product.
    std::vector<std::uint64_t> representations(std::uint64_t product) const {
        std::vector<std::uint64_t> out;
        const auto it = shapes_.find(product);
        if (it == shapes_.end()) return out;
        std::set<std::uint64_t> seen;
        out = it->second;
        seen.insert(out.begin(), out.end());
        for (std::size_t i = 0; i < out.size(); ++i)
            if (const auto more = same_shape_.find(out[i]); more != same_shape_.end())
                for (const std::uint64_t r : more->second)
                    if (seen.insert(r).second) out.push_back(r);
        return out;
    }

    Eigen::Isometry3d place_of(const Use& use) const {
        const auto it = placed_.find(use.usage);
        if (it == placed_.end()) return Eigen::Isometry3d::Identity();
        const Relation& r = it->second;
        const auto child = representations(use.child);
        const bool first = std::find(child.begin(), child.end(), r.one) != child.end(), second = std::find(child.begin(), child.end(), r.other) != child.end();
        if (first == second) throw NotUnderstood("a placement between shapes that are not those of its products");
        const Eigen::Isometry3d one = to_frame(frame(r.item_one, r.one)), other = to_frame(frame(r.item_other, r.other));
        return first ? other * one.inverse() : one * other.inverse();
    }

    Frame frame(std::uint64_t placement, std::uint64_t representation) const { return StepGeometry(file_, units(representation)).placement(placement); }

    StepUnits units(std::uint64_t representation) const {
        const auto it = units_.find(representation);
        if (it != units_.end()) return it->second;
        Parameters21 p = file_.of(representation);
        p.skip(2);
        return units_[representation] = units_of(file_, p.reference());
    }

    void visit(std::uint64_t product, const Eigen::Isometry3d& place, Label label, int depth) {
        if (depth > deepest_product) throw NotUnderstood("a product tree that is too deep");
        if (label.path.empty()) label.path = label.name;
        for (const std::uint64_t r : representations(product)) items(r, place, label, 0);
        const auto it = children_.find(product);
        if (it == children_.end()) return;
        for (const Use& u : it->second) {
            Label below = label;
            below.name = name_of(u.child);
            if (below.name.empty()) {
                Parameters21 p = file_.of(u.usage);
                below.name = p.text();
            }
            below.path = label.path.empty() ? below.name : label.path + "/" + below.name;
            visit(u.child, place * place_of(u), below, depth + 1);
        }
    }

    void items(std::uint64_t representation, const Eigen::Isometry3d& place, Label label, int depth) {
        if (depth > deepest_product) throw NotUnderstood("a representation mapped into itself");
        const std::string_view kind = file_.keyword(representation);
        if (kind.empty() || !kind.ends_with("REPRESENTATION")) throw NotUnderstood("a shape of several records");
        if (const auto c = styles_.colour(representation)) label.colour = *c;
        if (const auto l = styles_.layer(representation)) label.layer = *l;
        Parameters21 p = file_.of(representation);
        p.skip();
        std::vector<Single> above = std::exchange(singles_, {});
        for (const std::uint64_t id : p.references()) item(id, representation, place, label, depth);
        const std::vector<Single> own = std::exchange(singles_, std::move(above));
        // Surfaces that the writer wrapped one by one are put together by where they touch.
        if (own.size() == 1) add(own[0].shell, representation, place, own[0].label);
        else
            for (const Single& s : own) add_loose(s, representation, place);
    }

    void add_loose(const Single& s, std::uint64_t representation, const Eigen::Isometry3d& place) {
        if (out_.tree.loose < 0) {
            out_.tree.loose = static_cast<int>(out_.parts.size());
            add(s.shell, representation, place, s.label);
            return;
        }
        const auto first = std::find_if(out_.tree.instances.begin(), out_.tree.instances.end(), [&](const Instance& i) { return i.part == out_.tree.loose; });
        const StepUnits u = units(representation);
        StepPart& part = out_.parts[static_cast<std::size_t>(out_.tree.loose)];
        if (!place.isApprox(first->place, 0) || u.length != part.units.length || u.angle != part.units.angle)
            throw NotUnderstood("loose surfaces in several places");
        part.items.push_back(s.shell);
    }

    void item(std::uint64_t id, std::uint64_t representation, const Eigen::Isometry3d& place, const Label& label, int depth) {
        const std::string_view kind = file_.keyword(id);
        if (kind == "AXIS2_PLACEMENT_3D" || kind == "CARTESIAN_POINT") return;
        if (kind == "MANIFOLD_SOLID_BREP" || kind == "BREP_WITH_VOIDS" || kind == "FACETED_BREP") return add(id, representation, place, label);
        if (kind == "SHELL_BASED_SURFACE_MODEL") {
            Parameters21 p = file_.of(id);
            p.skip();
            Label own = label;
            if (const auto c = styles_.colour(id)) own.colour = *c;
            for (const std::uint64_t s : p.references()) {
                if (step_shell_faces(file_, s).size() == 1) singles_.push_back({s, own});
                else add(s, representation, place, own);
            }
            return;
        }
        if (kind == "MAPPED_ITEM") {
            Parameters21 p = file_.of(id);
            p.skip();
            Parameters21 map = file_.of(p.reference(), "REPRESENTATION_MAP");
            const std::uint64_t origin = map.reference(), mapped = map.reference(), target = p.reference();
            const Eigen::Isometry3d by = to_frame(frame(target, representation)) * to_frame(frame(origin, mapped)).inverse();
            items(mapped, place * by, label, depth + 1);
            return;
        }
        throw NotUnderstood(fmt::format("an item of the kind {}", kind.empty() ? "several records" : kind));
    }

    void add(std::uint64_t id, std::uint64_t representation, const Eigen::Isometry3d& place, const Label& label) {
        if (out_.tree.instances.size() >= most_instances) throw NotUnderstood("more places of parts than can be");
        const StepUnits u = units(representation);
        if (out_.parts.empty()) first_unit_ = u.length;
        const auto [it, fresh] = part_number_.try_emplace(id, static_cast<int>(out_.parts.size()));
        if (fresh) out_.parts.push_back({{id}, u});
        Instance i;
        i.part = it->second, i.place = place;
        i.name = label.name.empty() ? "solid" : label.name;
        i.path = label.path.empty() ? i.name : label.path;
        i.layer = styles_.layer(id).value_or(label.layer);
        i.colour = styles_.colour(id).value_or(label.colour);
        out_.tree.instances.push_back(std::move(i));
    }

    const ExchangeFile& file_;
    Styles styles_;
    std::map<std::uint64_t, std::vector<std::uint64_t>> shapes_, same_shape_;
    std::map<std::uint64_t, std::vector<Use>> children_;
    std::map<std::uint64_t, Relation> placed_;
    mutable std::map<std::uint64_t, StepUnits> units_;
    std::unordered_map<std::uint64_t, int> part_number_;
    std::vector<Single> singles_;  // of the representation that is walked through
    double first_unit_ = 1;
    StepTree out_;
};

}  // namespace

StepTree step_tree(const ExchangeFile& file) {
    return ProductWalk(file).run();
}

KernelFile read_step(std::string_view text, const Observer& observer) {
    const ExchangeFile file(text);
    StepTree tree = step_tree(file);
    observer.tell("read", 0.2);
    KernelFile out;
    out.tree = std::move(tree.tree);
    out.parts.resize(tree.parts.size());
    std::vector<std::string> failed(tree.parts.size());
    std::atomic<bool> given_up = false;
    for_parts(tree.parts.size(), observer, 0.2, 0.9, [&](std::size_t i) {
        if (given_up) return;
        try {
            out.parts[i] = step_body(file, tree.parts[i].units, tree.parts[i].items);
        } catch (const NotUnderstood& e) {
            failed[i] = e.what();
            given_up = true;
        }
    });
    for (const std::string& f : failed)
        if (!f.empty()) throw NotUnderstood(f);
    return out;
}

}  // namespace halvo::io
