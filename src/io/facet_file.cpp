#include "io/facet_file.hpp"

#include "io/text_cursor.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cstring>
#include <map>

namespace halvo::io {
namespace {

[[noreturn]] void fail(const std::string& what) {
    throw Error(ErrorKind::input, what);
}

void check_corner(const Vec3& p, const std::string& where) {
    if (!sane(p.x()) || !sane(p.y()) || !sane(p.z())) fail(fmt::format("{}: a coordinate is not a number or beyond all size; export it again", where));
}

void add_triangle(FacetFile& file, int a, int b, int c, int group) {
    const auto at = [&](int i) -> const Vec3& { return file.points[static_cast<std::size_t>(i)]; };
    if (at(a) == at(b) || at(b) == at(c) || at(c) == at(a)) {
        ++file.empty;
        return;
    }
    file.facets.push_back({a, b, c});
    file.group.push_back(group);
}

Vec3 polygon_normal(const FacetFile& file, const std::vector<int>& corners) {
    Vec3 n = Vec3::Zero();  // Newell's method
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const Vec3 &p = file.points[static_cast<std::size_t>(corners[i])], &q = file.points[static_cast<std::size_t>(corners[(i + 1) % corners.size()])];
        n += Vec3((p.y() - q.y()) * (p.z() + q.z()), (p.z() - q.z()) * (p.x() + q.x()), (p.x() - q.x()) * (p.y() + q.y()));
    }
    return n;
}

// ---- STL

FacetFile parse_binary_stl(std::string_view bytes) {
    std::uint32_t n = 0;
    std::memcpy(&n, bytes.data() + 80, sizeof n);
    const std::size_t room = (bytes.size() - 84) / 50;
    if (room < n) fail(fmt::format("the STL file ends early: it announces {} facets and has room for {}; copy or export it again", n, room));
    FacetFile out;
    std::string name(bytes.substr(0, 80));
    name = name.substr(0, name.find('\0'));
    out.names.push_back(name.rfind("solid ", 0) == 0 ? name.substr(6) : "");
    out.points.reserve(std::size_t{3} * n);
    out.facets.reserve(n);
    for (std::uint32_t i = 0; i < n; ++i) {
        std::array<float, 12> v{};
        std::memcpy(v.data(), bytes.data() + 84 + std::size_t{50} * i, sizeof v);
        const int first = static_cast<int>(out.points.size());
        for (std::size_t k = 1; k < 4; ++k) {
            out.points.emplace_back(v[3 * k], v[3 * k + 1], v[3 * k + 2]);
            check_corner(out.points.back(), fmt::format("facet {}", i + 1));
        }
        add_triangle(out, first, first + 1, first + 2, 0);
    }
    return out;
}

FacetFile parse_text_stl(std::string_view bytes) {
    FacetFile out;
    TextCursor in(bytes);
    bool open = false;
    std::vector<int> corners;
    for (std::string_view w = in.word_anywhere(); !w.empty(); w = in.word_anywhere()) {
        if (w == "solid") {
            out.names.emplace_back(in.rest());
            open = true;
        } else if (w == "endsolid") {
            in.rest();
            open = false;
        } else if (w == "vertex") {
            Vec3 p;
            for (int k = 0; k < 3; ++k) {
                const auto v = number_in<double>(in.word());
                if (!v) fail(fmt::format("line {}: vertex needs three numbers; export it again", in.line()));
                p[k] = *v;
            }
            check_corner(p, fmt::format("line {}", in.line()));
            corners.push_back(static_cast<int>(out.points.size()));
            out.points.push_back(p);
        } else if (w == "endfacet") {
            if (corners.size() != 3) fail(fmt::format("line {}: a facet has {} corners instead of 3; export it again", in.line(), corners.size()));
            if (out.names.empty()) out.names.emplace_back();
            add_triangle(out, corners[0], corners[1], corners[2], static_cast<int>(out.names.size()) - 1);
            corners.clear();
        } else if (w == "facet") {
            if (!corners.empty()) fail(fmt::format("line {}: the facet before is not finished; export it again", in.line()));
            in.rest();
        } else if (w != "outer" && w != "loop" && w != "endloop") {
            fail(fmt::format("line {}: \"{}\" has no place in an STL file; export it again", in.line(), shown(w)));
        }
    }
    if (open || !corners.empty()) fail(fmt::format("the STL file ends early, at line {}; copy or export it again", in.line()));
    out.separate = out.names.size() > 1;
    return out;
}

// ---- OBJ

int obj_index(std::string_view w, std::size_t known, std::size_t line) {
    const auto i = number_in<long long>(w.substr(0, w.find('/')));
    if (!i || *i == 0) fail(fmt::format("line {}: \"{}\" is no corner of a face; export it again", line, shown(w)));
    const long long at = *i > 0 ? *i - 1 : static_cast<long long>(known) + *i;
    if (at < 0 || at >= static_cast<long long>(known)) fail(fmt::format("line {}: corner {} does not exist, there are {}; export it again", line, *i, known));
    return static_cast<int>(at);
}

// ---- PLY

struct Property {
    std::string name;
    int size = 0;       // bytes
    char kind = 'f';    // i signed, u unsigned, f floating
    int list_size = 0;  // bytes of the count, 0 for a single value
    char list_kind = 'u';
};
struct PlyElement {
    std::string name;
    std::size_t count = 0;
    std::vector<Property> properties;
};

std::pair<int, char> ply_type(std::string_view w, std::size_t line) {
    static const std::map<std::string_view, std::pair<int, char>> types = {
        {"char", {1, 'i'}},   {"int8", {1, 'i'}},    {"uchar", {1, 'u'}},  {"uint8", {1, 'u'}},  {"short", {2, 'i'}}, {"int16", {2, 'i'}},
        {"ushort", {2, 'u'}}, {"uint16", {2, 'u'}},  {"int", {4, 'i'}},    {"int32", {4, 'i'}},  {"uint", {4, 'u'}},  {"uint32", {4, 'u'}},
        {"float", {4, 'f'}},  {"float32", {4, 'f'}}, {"double", {8, 'f'}}, {"float64", {8, 'f'}}};
    const auto it = types.find(w);
    if (it == types.end()) fail(fmt::format("line {}: \"{}\" is no type of a PLY file; export it again", line, shown(w)));
    return it->second;
}

// Values one after the other, from text or from bytes of either order.
class PlyValues {
public:
    PlyValues(std::string_view body, bool text, bool swap) : body_(body), cursor_(body), text_(text), swap_(swap) {}
    double next(int size, char kind) {
        if (text_) {
            const auto w = cursor_.word_anywhere();
            if (w.empty()) early();
            const auto v = number_in<double>(w);
            if (!v) fail(fmt::format("line {} of its data: \"{}\" is no number; export it again", cursor_.line(), shown(w)));
            return *v;
        }
        if (body_.size() - at_ < static_cast<std::size_t>(size)) early();
        std::array<char, 8> b{};
        std::memcpy(b.data(), body_.data() + at_, static_cast<std::size_t>(size));
        at_ += static_cast<std::size_t>(size);
        if (swap_) std::reverse(b.begin(), b.begin() + size);
        return value(b, size, kind);
    }
    [[nodiscard]] std::size_t left() const { return text_ ? body_.size() - cursor_.position() : body_.size() - at_; }

private:
    [[noreturn]] static void early() { fail("the PLY file ends early; copy or export it again"); }
    template <class T>
    static double as(const std::array<char, 8>& b) {
        T v{};
        std::memcpy(&v, b.data(), sizeof v);
        return static_cast<double>(v);
    }
    static double value(const std::array<char, 8>& b, int size, char kind) {
        if (kind == 'f') return size == 4 ? as<float>(b) : as<double>(b);
        if (size == 1) return kind == 'i' ? as<std::int8_t>(b) : as<std::uint8_t>(b);
        if (size == 2) return kind == 'i' ? as<std::int16_t>(b) : as<std::uint16_t>(b);
        return kind == 'i' ? as<std::int32_t>(b) : as<std::uint32_t>(b);
    }
    std::string_view body_;
    TextCursor cursor_;
    std::size_t at_ = 0;
    bool text_, swap_;
};

struct PlyHead {
    std::vector<PlyElement> elements;
    bool text = false, swap = false;
    std::size_t length = 0;
};

PlyHead parse_ply_head(std::string_view bytes) {
    PlyHead head;
    TextCursor in(bytes);
    bool format = false;
    for (bool more = true; more; more = in.next_line()) {
        const auto w = in.word();
        if (w == "end_header") {
            in.next_line();
            if (!format) fail("the PLY file does not say its format; export it again");
            head.length = in.position();
            return head;
        }
        if (w == "format") {
            const auto f = in.word();
            format = true;
            if (f == "ascii") head.text = true;
            else if (f == "binary_little_endian") head.swap = std::endian::native != std::endian::little;
            else if (f == "binary_big_endian") head.swap = std::endian::native != std::endian::big;
            else fail(fmt::format("line {}: PLY format \"{}\" is not known; export it again", in.line(), shown(f)));
        } else if (w == "element") {
            PlyElement e;
            e.name = in.word();
            const auto n = number_in<std::uint64_t>(in.word());
            // Every element takes a byte at least: a larger number is damage.
            if (!n || *n > bytes.size())
                fail(fmt::format("line {}: element {} announces more than the file can hold; export it again", in.line(), shown(e.name)));
            e.count = static_cast<std::size_t>(*n);
            head.elements.push_back(std::move(e));
        } else if (w == "property") {
            if (head.elements.empty()) fail(fmt::format("line {}: a property before any element; export it again", in.line()));
            Property p;
            auto type = in.word();
            if (type == "list") {
                std::tie(p.list_size, p.list_kind) = ply_type(in.word(), in.line());
                type = in.word();
            }
            std::tie(p.size, p.kind) = ply_type(type, in.line());
            p.name = in.word();
            head.elements.back().properties.push_back(std::move(p));
        } else if (w != "ply" && w != "comment" && w != "obj_info" && !w.empty()) {
            fail(fmt::format("line {}: \"{}\" has no place in the head of a PLY file; export it again", in.line(), shown(w)));
        }
    }
    fail("the head of the PLY file does not end; copy or export it again");
}

void read_ply_vertex(PlyValues& in, const PlyElement& e, std::size_t i, FacetFile& out) {
    Vec3 p = Vec3::Zero();
    for (const Property& property : e.properties) {
        if (property.list_size > 0) {
            const double n = in.next(property.list_size, property.list_kind);
            for (double k = 0; k < n; ++k) (void)in.next(property.size, property.kind);
            continue;
        }
        const double v = in.next(property.size, property.kind);
        if (property.name == "x") p.x() = v;
        if (property.name == "y") p.y() = v;
        if (property.name == "z") p.z() = v;
    }
    check_corner(p, fmt::format("vertex {}", i + 1));
    out.points.push_back(p);
}

void read_ply_face(PlyValues& in, const PlyElement& e, std::size_t i, FacetFile& out) {
    for (const Property& property : e.properties) {
        if (property.list_size == 0) {
            (void)in.next(property.size, property.kind);
            continue;
        }
        const double n = in.next(property.list_size, property.list_kind);
        if (!(n >= 0) || n > static_cast<double>(in.left())) fail(fmt::format("face {} has an impossible number of corners; export it again", i + 1));
        std::vector<int> corners;
        const bool wanted = e.name == "face" && (property.name == "vertex_indices" || property.name == "vertex_index");
        for (double k = 0; k < n; ++k) {
            const double v = in.next(property.size, property.kind);
            if (!wanted) continue;
            if (!(v >= 0) || v >= static_cast<double>(out.points.size()))
                fail(fmt::format("face {}: corner {} does not exist, there are {}; export it again", i + 1, v, out.points.size()));
            corners.push_back(static_cast<int>(v));
        }
        if (wanted) add_polygon(out, corners, 0);
    }
}

void some(const FacetFile& file, const char* kind) {
    if (file.facets.empty()) fail(fmt::format("the {} file holds no facets; export it again", kind));
}

}  // namespace

void add_polygon(FacetFile& file, const std::vector<int>& corners, int group) {
    if (corners.size() < 3) {
        ++file.empty;
        return;
    }
    if (corners.size() == 3) {
        add_triangle(file, corners[0], corners[1], corners[2], group);
        return;
    }
    // Ears: a corner that turns the right way and holds no other corner is cut off; the roundest first.
    const Vec3 n = polygon_normal(file, corners);
    const Frame plane = n.norm() > 0 ? Frame::with_z(file.points[static_cast<std::size_t>(corners[0])], n) : Frame{};
    std::vector<int> left = corners;
    const auto at = [&](std::size_t i) { return plane.local2(file.points[static_cast<std::size_t>(left[i % left.size()])]); };
    const auto turn = [](const Vec2& a, const Vec2& b, const Vec2& c) { return (b - a).x() * (c - a).y() - (b - a).y() * (c - a).x(); };
    while (left.size() > 3) {
        const std::size_t m = left.size();
        std::size_t best = m;
        double best_shape = -1;
        for (std::size_t i = 0; i < m; ++i) {
            const Vec2 a = at(i + m - 1), b = at(i), c = at(i + 1);
            const double area = turn(a, b, c);
            if (area <= 0) continue;
            bool empty = true;
            for (std::size_t k = 2; k + 1 < m && empty && m <= 64; ++k) {
                const Vec2 p = at(i + k);
                if (turn(a, b, p) > 0 && turn(b, c, p) > 0 && turn(c, a, p) > 0) empty = false;
            }
            const double shape = area / ((a - b).squaredNorm() + (b - c).squaredNorm() + (c - a).squaredNorm());
            if (empty && shape > best_shape) best_shape = shape, best = i;
            if (m > 64 && best < m) break;
        }
        if (best == m) best = 0;
        add_triangle(file, left[(best + m - 1) % m], left[best], left[(best + 1) % m], group);
        left.erase(left.begin() + static_cast<std::ptrdiff_t>(best));
    }
    add_triangle(file, left[0], left[1], left[2], group);
}

FacetFile parse_stl(std::string_view bytes) {
    bool binary = false;
    if (bytes.size() >= 84) {
        std::uint32_t n = 0;
        std::memcpy(&n, bytes.data() + 80, sizeof n);
        const auto first = bytes.find_first_not_of(" \t\r\n");
        const bool says_solid = first != std::string_view::npos && bytes.substr(first, 5) == "solid";
        binary = bytes.size() == 84 + std::size_t{50} * n || !says_solid || bytes.substr(0, 4096).find('\0') != std::string_view::npos;
    }
    FacetFile out = binary ? parse_binary_stl(bytes) : parse_text_stl(bytes);
    some(out, "STL");
    return out;
}

FacetFile parse_obj(std::string_view bytes) {
    FacetFile out;
    out.names.emplace_back();
    TextCursor in(bytes);
    for (bool more = true; more; more = in.next_line()) {
        const auto w = in.word();
        if (w == "v") {
            Vec3 p;
            for (int k = 0; k < 3; ++k) {
                const auto v = number_in<double>(in.word());
                if (!v) fail(fmt::format("line {}: v needs three numbers; export it again", in.line()));
                p[k] = *v;
            }
            check_corner(p, fmt::format("line {}", in.line()));
            out.points.push_back(p);
        } else if (w == "f") {
            std::vector<int> corners;
            for (auto c = in.word(); !c.empty(); c = in.word()) corners.push_back(obj_index(c, out.points.size(), in.line()));
            add_polygon(out, corners, static_cast<int>(out.names.size()) - 1);
        } else if (w == "o" || w == "g") {
            out.names.emplace_back(in.rest());
        }
    }
    some(out, "OBJ");
    return out;
}

FacetFile parse_ply(std::string_view bytes) {
    const PlyHead head = parse_ply_head(bytes);
    FacetFile out;
    out.names.emplace_back();
    PlyValues in(bytes.substr(head.length), head.text, head.swap);
    for (const PlyElement& e : head.elements)
        for (std::size_t i = 0; i < e.count; ++i) {
            if (e.properties.empty()) break;
            if (e.name == "vertex") read_ply_vertex(in, e, i, out);
            else read_ply_face(in, e, i, out);
        }
    some(out, "PLY");
    return out;
}

}  // namespace halvo::io
