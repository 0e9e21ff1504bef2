#include "io/bytes.hpp"

#include <fmt/format.h>
#include <openssl/evp.h>
#include <zlib.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <fstream>

namespace halvo::io {
namespace {

constexpr std::size_t most_unpacked = std::size_t{4} << 30;

std::string gunzip(const std::filesystem::path& file, const std::string& packed) {
    z_stream z{};
    if (inflateInit2(&z, 16 + MAX_WBITS) != Z_OK) throw Error(ErrorKind::stage, "zlib cannot be started");
    std::string out;
    std::vector<char> block(1 << 20);
    z.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(packed.data()));
    std::size_t left = packed.size();
    int rc = Z_OK;
    while (rc == Z_OK) {
        if (z.avail_in == 0) {
            const std::size_t take = std::min<std::size_t>(left, 1U << 30);
            z.avail_in = static_cast<uInt>(take), left -= take;
        }
        z.next_out = reinterpret_cast<Bytef*>(block.data());
        z.avail_out = static_cast<uInt>(block.size());
        rc = inflate(&z, Z_NO_FLUSH);
        out.append(block.data(), block.size() - z.avail_out);
        if (out.size() > most_unpacked) rc = Z_MEM_ERROR;
        // Files may be several packed pieces one after the other.
        if (rc == Z_STREAM_END && (z.avail_in > 0 || left > 0) && *z.next_in == 0x1f) rc = inflateReset(&z);
    }
    inflateEnd(&z);
    if (rc == Z_MEM_ERROR) throw Error(ErrorKind::input, file.string() + ": unpacks to more than 4 GB; unpack it yourself and give the file in it");
    if (rc != Z_STREAM_END) throw Error(ErrorKind::input, file.string() + ": the gzip file is damaged or ends early; copy it again");
    return out;
}

std::string_view first_line(const std::string& bytes) {
    return std::string_view(bytes).substr(0, bytes.find_first_of("\r\n"));
}

bool looks_iges(const std::string& bytes) {
    const auto line = first_line(bytes);
    return line.size() >= 80 && line[72] == 'S' && std::all_of(line.begin() + 73, line.begin() + 80, [](char c) { return c == ' ' || (c >= '0' && c <= '9'); });
}

bool binary_stl(const std::string& bytes) {
    if (bytes.size() < 84) return false;
    std::uint32_t n = 0;
    std::memcpy(&n, bytes.data() + 80, sizeof n);
    return bytes.size() == 84 + 50 * static_cast<std::size_t>(n);
}

bool text_stl(const std::string& bytes) {
    const std::string_view head = std::string_view(bytes).substr(0, 1 << 16);
    const auto first = head.find_first_not_of(" \t\r\n");
    if (first == std::string_view::npos || head.substr(first, 5) != "solid") return false;
    return head.find("facet") != std::string_view::npos || head.find("endsolid") != std::string_view::npos;
}

bool looks_obj(const std::string& bytes) {
    const std::string_view head = std::string_view(bytes).substr(0, 1 << 16);
    if (head.find('\0') != std::string_view::npos) return false;
    int vertices = 0;
    for (std::size_t at = 0; at < head.size();) {
        const std::size_t end = std::min(head.find('\n', at), head.size());
        const std::string_view line = head.substr(at, end - at);
        vertices += line.rfind("v ", 0) == 0 || line.rfind("v\t", 0) == 0;
        at = end + 1;
    }
    return vertices > 0;
}

[[noreturn]] void fail(const std::filesystem::path& file, const std::string& what) {
    throw Error(ErrorKind::input, file.string() + ": " + what);
}

}  // namespace

Bytes load(const std::filesystem::path& file) {
    std::error_code ec;
    if (!std::filesystem::exists(file, ec)) fail(file, "no such file; check the path");
    if (std::filesystem::is_directory(file, ec)) fail(file, "is a folder; name a CAD file in it");
    std::ifstream in(file, std::ios::binary);
    if (!in) fail(file, "cannot be opened; check its permissions");
    Bytes out;
    const auto size = std::filesystem::file_size(file, ec);
    if (!ec && size > 0) {
        out.data.resize(static_cast<std::size_t>(size));
        in.read(out.data.data(), static_cast<std::streamsize>(size));
        out.data.resize(static_cast<std::size_t>(in.gcount()));
    } else {
        out.data.assign(std::istreambuf_iterator<char>(in), {});
    }
    if (out.data.size() > 2 && out.data[0] == '\x1f' && out.data[1] == '\x8b') out.data = gunzip(file, out.data), out.packed = true;
    if (out.data.find_first_not_of(" \t\r\n") == std::string::npos) fail(file, "the file is empty; export it again from CAD");
    return out;
}

std::string sha256(const std::string& bytes) {
    std::array<unsigned char, 32> digest{};
    unsigned int n = 0;
    EVP_Digest(bytes.data(), bytes.size(), digest.data(), &n, EVP_sha256(), nullptr);
    std::string out;
    for (unsigned char c : digest) out += fmt::format("{:02x}", c);
    return out;
}

std::optional<FileKind> kind_by_name(const std::filesystem::path& file) {
    std::filesystem::path plain = file;
    if (plain.extension() == ".gz") plain.replace_extension();
    std::string e = plain.extension().string();
    std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (e == ".step" || e == ".stp" || e == ".p21") return FileKind::step;
    if (e == ".iges" || e == ".igs") return FileKind::iges;
    if (e == ".stl") return FileKind::stl;
    if (e == ".obj") return FileKind::obj;
    if (e == ".ply") return FileKind::ply;
    return std::nullopt;
}

FileKind recognise_kind(const std::filesystem::path& file, const std::string& bytes) {
    const std::size_t head = bytes.find("ISO-10303-21;");
    if (head != std::string::npos && head < 4096) return FileKind::step;
    if (bytes.rfind("ply\n", 0) == 0 || bytes.rfind("ply\r", 0) == 0) return FileKind::ply;
    if (looks_iges(bytes)) return FileKind::iges;
    if (binary_stl(bytes) || text_stl(bytes)) return FileKind::stl;
    if (looks_obj(bytes)) return FileKind::obj;
    const auto named = kind_by_name(file);
    if (named == FileKind::stl && bytes.size() >= 84) return FileKind::stl;  // its reader says what is wrong with it
    if (named == FileKind::step) fail(file, "not a STEP file (it does not start with ISO-10303-21); give a STEP file");
    if (named) fail(file, fmt::format("not a readable {} file (its first lines are not of that kind); export it again", kind_name(*named)));
    fail(file, "neither STEP, IGES, STL, OBJ nor PLY; export one of these from CAD");
}

void check_whole(const std::filesystem::path& file, FileKind kind, const std::string& bytes) {
    const std::size_t tail = bytes.size() > 4096 ? bytes.size() - 4096 : 0;
    if (kind == FileKind::step && bytes.find("END-ISO-10303-21;", tail) == std::string::npos)
        fail(file, fmt::format("the STEP file ends early, after {} bytes; copy or export it again", bytes.size()));
    if (kind == FileKind::iges) {
        // The last line counts the lines of the sections before it and has T in column 73.
        const std::size_t end = bytes.find_last_not_of(" \t\r\n\0"), start = bytes.find_last_of("\r\n", end);
        const std::string_view last = std::string_view(bytes).substr(start == std::string::npos ? 0 : start + 1, end - start);
        if (last.size() < 73 || last[72] != 'T') fail(file, fmt::format("the IGES file ends early, after {} bytes; copy or export it again", bytes.size()));
    }
}

}  // namespace halvo::io
