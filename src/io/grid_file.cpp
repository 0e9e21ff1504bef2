// VTK XML unstructured grids, read in all their encodings and written in one.
#include <halvo/grid.hpp>
#include <halvo/io.hpp>

#include "io/bytes.hpp"
#include "io/vtu_array.hpp"

#include <fmt/format.h>
#include <zlib.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <sstream>

namespace halvo {
namespace io {

std::string base64(const void* data, std::size_t n) {
    static constexpr char letters[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    const auto* p = static_cast<const unsigned char*>(data);
    std::string out;
    out.reserve((n + 2) / 3 * 4);
    for (std::size_t i = 0; i < n; i += 3) {
        const unsigned v = (unsigned(p[i]) << 16) | (i + 1 < n ? unsigned(p[i + 1]) << 8 : 0) | (i + 2 < n ? unsigned(p[i + 2]) : 0);
        out += letters[v >> 18];
        out += letters[(v >> 12) & 63];
        out += i + 1 < n ? letters[(v >> 6) & 63] : '=';
        out += i + 2 < n ? letters[v & 63] : '=';
    }
    return out;
}

pugi::xml_node start_grid(pugi::xml_document& doc, std::size_t points, std::size_t cells) {
    auto root = doc.append_child("VTKFile");
    root.append_attribute("type") = "UnstructuredGrid";
    root.append_attribute("version") = "1.0";
    root.append_attribute("byte_order") = "LittleEndian";
    root.append_attribute("header_type") = "UInt64";
    auto piece = root.append_child("UnstructuredGrid").append_child("Piece");
    piece.append_attribute("NumberOfPoints") = points;
    piece.append_attribute("NumberOfCells") = cells;
    return piece;
}

std::string text_of(const pugi::xml_document& doc) {
    std::ostringstream text;
    doc.save(text, " ");
    return text.str();
}

namespace {

std::string from_base64(std::string_view text, std::size_t& used) {
    std::string out;
    unsigned v = 0;
    int bits = 0;
    std::size_t i = 0;
    for (; i < text.size(); ++i) {
        const char c = text[i];
        int d = -1;
        if (c >= 'A' && c <= 'Z') d = c - 'A';
        else if (c >= 'a' && c <= 'z') d = c - 'a' + 26;
        else if (c >= '0' && c <= '9') d = c - '0' + 52;
        else if (c == '+') d = 62;
        else if (c == '/') d = 63;
        else if (c == '=') {
            while (i < text.size() && text[i] == '=') ++i;
            break;
        } else if (std::isspace(static_cast<unsigned char>(c))) continue;
        else break;
        v = (v << 6) | unsigned(d), bits += 6;
        if (bits >= 8) bits -= 8, out += static_cast<char>((v >> bits) & 255);
    }
    used = i;
    return out;
}

class Reader {
public:
    explicit Reader(const std::filesystem::path& file) : file_(file) {}

    Grid run() {
        std::string bytes = load(file_).data;
        take_appended(bytes);
        pugi::xml_document doc;
        const auto ok = doc.load_buffer(bytes.data(), bytes.size());
        const auto root = doc.child("VTKFile");
        if (!ok || !root) fail("not a VTK XML file, or damaged", "give an unstructured grid (.vtu)");
        if (std::string(root.attribute("type").value()) != "UnstructuredGrid") fail("not an unstructured grid", "write the mesh as .vtu");
        swap_ = std::string(root.attribute("byte_order").as_string("LittleEndian")) == "BigEndian";
        wide_ = std::string(root.attribute("header_type").as_string("UInt32")) == "UInt64";
        const std::string packer = root.attribute("compressor").value();
        if (!packer.empty() && packer != "vtkZLibDataCompressor") fail("arrays are packed by " + packer, "write them with zlib or not packed");
        packed_ = !packer.empty();
        const auto grid = root.child("UnstructuredGrid");
        if (!doc.select_node("//Piece")) fail("it holds no piece of a mesh", "give a mesh with elements");
        for (const auto piece : grid.children("Piece")) add_piece(piece);
        return std::move(out_);
    }

private:
    [[noreturn]] void fail(const std::string& what, const std::string& advice) const {
        throw Error(ErrorKind::input, fmt::format("{}: {}; {}", file_.string(), what, advice));
    }

    // Raw appended data is no XML: it is kept apart.
    void take_appended(std::string& bytes) {
        const auto tag = bytes.find("<AppendedData");
        if (tag == std::string::npos) return;
        const auto open = bytes.find('>', tag), mark = open == std::string::npos ? open : bytes.find('_', open), end = bytes.rfind("</AppendedData>");
        if (mark == std::string::npos || end == std::string::npos || end < mark) fail("its appended data ends early", "copy the file again");
        appended_text_ = bytes.substr(tag, open - tag).find("base64") != std::string::npos;
        appended_ = bytes.substr(mark + 1, end - mark - 1);
        bytes.erase(open + 1, end - open - 1);
    }

    std::uint64_t header(std::string_view b, std::size_t i) const {
        const std::size_t n = wide_ ? 8 : 4;
        if ((i + 1) * n > b.size()) fail("an array ends early", "copy the file again");
        std::uint64_t v = 0;
        for (std::size_t k = 0; k < n; ++k) v |= std::uint64_t(static_cast<unsigned char>(b[i * n + (swap_ ? n - 1 - k : k)])) << (8 * k);
        return v;
    }

    // The bytes of one array, from base64 text or raw bytes that begin with their header.
    std::string payload(std::string_view source, bool text) const {
        const std::size_t word = wide_ ? 8 : 4;
        std::size_t used = 0;
        if (!packed_) {
            const std::string own = text ? from_base64(source, used) : std::string();
            const std::string_view b = text ? std::string_view(own) : source;
            const std::uint64_t n = header(b, 0);
            if (n > b.size() - word) fail("an array ends early", "copy the file again");
            return std::string(b.substr(word, n));
        }
        // Packed: number of blocks, size of each, size of the last, then their packed sizes; in text the header is encoded by itself.
        while (text && !source.empty() && std::isspace(static_cast<unsigned char>(source.front()))) source.remove_prefix(1);
        const auto encoded = [](std::size_t bytes) { return (bytes + 2) / 3 * 4; };
        const auto start = [&](std::size_t bytes) { return source.substr(0, std::min(source.size(), text ? encoded(bytes) : bytes)); };
        std::string head = text ? from_base64(start(3 * word), used) : std::string(start(3 * word));
        const std::uint64_t blocks = header(head, 0), size = header(head, 1), last = header(head, 2);
        if (blocks > source.size()) fail("an array ends early", "copy the file again");
        // Where the header fills its last group of characters, nothing marks its end but its own count.
        if (text) head = from_base64(start((3 + blocks) * word), used), used = encoded((3 + blocks) * word);
        if (!text) head = std::string(source.substr(0, std::min<std::size_t>(source.size(), (3 + blocks) * word)));
        std::string body;
        if (text) {
            std::size_t more = 0;
            body = from_base64(source.substr(std::min(used, source.size())), more);
        } else {
            body = std::string(source.substr(std::min<std::size_t>(source.size(), (3 + blocks) * word)));
        }
        std::string out;
        std::size_t at = 0;
        for (std::uint64_t k = 0; k < blocks; ++k) {
            const std::uint64_t n = header(head, 3 + k);
            uLongf want = static_cast<uLongf>(k + 1 == blocks && last > 0 ? last : size);
            if (at + n > body.size() || want > (1U << 30)) fail("an array ends early", "copy the file again");
            std::string block(want, '\0');
            if (uncompress(reinterpret_cast<Bytef*>(block.data()), &want, reinterpret_cast<const Bytef*>(body.data() + at), static_cast<uLong>(n)) != Z_OK)
                fail("a packed array is damaged", "copy the file again");
            out.append(block, 0, want);
            at += n;
        }
        return out;
    }

    template <class T>
    void append(const std::string& bytes, std::vector<double>& out) const {
        for (std::size_t i = 0; i + sizeof(T) <= bytes.size(); i += sizeof(T)) {
            std::array<char, sizeof(T)> raw{};
            std::memcpy(raw.data(), bytes.data() + i, sizeof(T));
            if (swap_) std::reverse(raw.begin(), raw.end());
            out.push_back(static_cast<double>(std::bit_cast<T>(raw)));
        }
    }

    GridArray array_of(const pugi::xml_node& node) const {
        GridArray a;
        a.name = node.attribute("Name").value(), a.type = node.attribute("type").value();
        a.components = std::max(1, node.attribute("NumberOfComponents").as_int(1));
        const std::string format = node.attribute("format").as_string("ascii");
        if (format == "ascii") {
            const char* p = node.text().get();
            for (char* end = nullptr;; p = end) {
                const double v = std::strtod(p, &end);
                if (end == p) break;
                a.values.push_back(v);
            }
            return a;
        }
        std::string bytes;
        if (format == "appended") {
            const std::uint64_t from = node.attribute("offset").as_ullong();
            if (from > appended_.size()) fail(fmt::format("array {} lies beyond the end", a.name), "copy the file again");
            bytes = payload(std::string_view(appended_).substr(from), appended_text_);
        } else {
            bytes = payload(node.text().get(), true);
        }
        if (a.type == "Float64") append<double>(bytes, a.values);
        else if (a.type == "Float32") append<float>(bytes, a.values);
        else if (a.type == "Int64") append<std::int64_t>(bytes, a.values);
        else if (a.type == "UInt64") append<std::uint64_t>(bytes, a.values);
        else if (a.type == "Int32") append<std::int32_t>(bytes, a.values);
        else if (a.type == "UInt32") append<std::uint32_t>(bytes, a.values);
        else if (a.type == "Int16") append<std::int16_t>(bytes, a.values);
        else if (a.type == "UInt16") append<std::uint16_t>(bytes, a.values);
        else if (a.type == "Int8") append<std::int8_t>(bytes, a.values);
        else if (a.type == "UInt8") append<std::uint8_t>(bytes, a.values);
        else fail(fmt::format("array {} has the unknown type {}", a.name, a.type), "write it as Float64 or Int32");
        return a;
    }

    void add_piece(const pugi::xml_node& piece) {
        const auto base = static_cast<std::int64_t>(out_.points.size());
        const auto points_before = out_.points.size(), cells_before = out_.types.size();
        const GridArray points = array_of(piece.child("Points").child("DataArray"));
        for (std::size_t i = 0; i + 2 < points.values.size(); i += 3) out_.points.emplace_back(points.values[i], points.values[i + 1], points.values[i + 2]);
        const auto start = static_cast<std::int64_t>(out_.connectivity.size());
        for (const auto node : piece.child("Cells").children("DataArray")) {
            const GridArray a = array_of(node);
            if (a.name == "connectivity")
                for (double v : a.values) out_.connectivity.push_back(base + static_cast<std::int64_t>(v));
            if (a.name == "offsets")
                for (double v : a.values) out_.ends.push_back(start + static_cast<std::int64_t>(v));
            if (a.name == "types")
                for (double v : a.values) out_.types.push_back(static_cast<std::uint8_t>(v));
        }
        std::int64_t last = start;
        if (out_.ends.size() != out_.types.size()) fail("its cells are incomplete", "write the mesh again");
        for (std::size_t i = cells_before; i < out_.ends.size(); ++i) {
            if (out_.ends[i] < last || out_.ends[i] > static_cast<std::int64_t>(out_.connectivity.size()))
                fail("its cells are incomplete", "write the mesh again");
            last = out_.ends[i];
        }
        for (std::size_t i = static_cast<std::size_t>(start); i < out_.connectivity.size(); ++i)
            if (out_.connectivity[i] < base || out_.connectivity[i] >= static_cast<std::int64_t>(out_.points.size()))
                fail("a cell names a point that is not there", "write the mesh again");
        merge(piece.child("PointData"), out_.point_data, points_before, out_.points.size());
        merge(piece.child("CellData"), out_.cell_data, cells_before, out_.types.size());
    }

    // Arrays that a piece lacks are filled with not-a-number.
    void merge(const pugi::xml_node& data, std::vector<GridArray>& all, std::size_t before, std::size_t after) const {
        const auto fill = [](GridArray& a, std::size_t count) { a.values.resize(count * static_cast<std::size_t>(a.components), std::nan("")); };
        for (const auto node : data.children("DataArray")) {
            GridArray a = array_of(node);
            auto known = std::find_if(all.begin(), all.end(), [&](const GridArray& k) { return k.name == a.name && k.components == a.components; });
            if (known == all.end()) {
                all.push_back({a.name, a.type, a.components, {}});
                known = all.end() - 1;
            }
            fill(*known, before);
            known->values.insert(known->values.end(), a.values.begin(), a.values.end());
        }
        for (GridArray& a : all) fill(a, after);
    }

    std::filesystem::path file_;
    bool swap_ = false, wide_ = false, packed_ = false, appended_text_ = false;
    std::string appended_;
    Grid out_;
};

template <class T>
void put(pugi::xml_node parent, const GridArray& a) {
    std::vector<T> values;
    for (double v : a.values) values.push_back(static_cast<T>(std::isnan(v) && std::is_integral_v<T> ? 0 : v));
    add_array(parent, a.type.c_str(), a.name.c_str(), values, a.components);
}

void put_array(pugi::xml_node parent, const GridArray& a) {
    if (a.type == "Float32") put<float>(parent, a);
    else if (a.type == "Int64") put<std::int64_t>(parent, a);
    else if (a.type == "UInt64") put<std::uint64_t>(parent, a);
    else if (a.type == "Int32") put<std::int32_t>(parent, a);
    else if (a.type == "UInt32") put<std::uint32_t>(parent, a);
    else if (a.type == "Int16") put<std::int16_t>(parent, a);
    else if (a.type == "UInt16") put<std::uint16_t>(parent, a);
    else if (a.type == "Int8") put<std::int8_t>(parent, a);
    else if (a.type == "UInt8") put<std::uint8_t>(parent, a);
    else put<double>(parent, {a.name, "Float64", a.components, a.values});
}

}  // namespace
}  // namespace io

std::array<std::int64_t, 4> Grid::shell(std::size_t cell) const {
    std::array<std::int64_t, 4> out{-1, -1, -1, -1};
    const std::uint8_t t = types[cell];
    const bool three = t == 5 || t == 22 || t == 34, four = t == 9 || t == 8 || t == 23 || t == 28 || t == 30;
    const std::int64_t first = cell == 0 ? 0 : ends[cell - 1];
    const std::int64_t n = three ? 3 : four ? 4 : 0;
    if (n == 0 || ends[cell] - first < n) return out;
    for (std::int64_t k = 0; k < n; ++k) out[static_cast<std::size_t>(k)] = connectivity[static_cast<std::size_t>(first + k)];
    if (t == 8) std::swap(out[2], out[3]);  // pixels run row by row
    return out;
}

Grid read_grid(const std::filesystem::path& file) {
    return io::Reader(file).run();
}

void write_grid(const std::filesystem::path& file, const Grid& grid) {
    pugi::xml_document doc;
    auto piece = io::start_grid(doc, grid.points.size(), grid.types.size());
    std::vector<double> points;
    for (const Vec3& p : grid.points) points.insert(points.end(), {p.x(), p.y(), p.z()});
    auto point_data = piece.append_child("PointData"), cell_data = piece.append_child("CellData");
    for (const GridArray& a : grid.point_data) io::put_array(point_data, a);
    for (const GridArray& a : grid.cell_data) io::put_array(cell_data, a);
    io::add_array(piece.append_child("Points"), "Float64", "Points", points, 3);
    auto cells = piece.append_child("Cells");
    io::add_array(cells, "Int64", "connectivity", grid.connectivity);
    io::add_array(cells, "Int64", "offsets", grid.ends);
    io::add_array(cells, "UInt8", "types", grid.types);
    write_text(file, io::text_of(doc));
}

}  // namespace halvo
