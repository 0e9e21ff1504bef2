#include <halvo/io.hpp>

#include "body/facet_body.hpp"
#include "body/loose.hpp"
#include "core/quantity.hpp"
#include "io/bytes.hpp"
#include "io/facet_file.hpp"
#include "io/in_parts.hpp"
#include "io/place.hpp"
#include "io/reader_process.hpp"
#include "io/source_digest.hpp"
#include "io/stated_precision.hpp"
#include "io/step_products.hpp"
#include "run/select.hpp"

#include <fmt/format.h>

#include <unistd.h>
#include <cstdlib>
#include <fstream>

namespace halvo {
namespace {

using namespace io;

// A file that the kernel can open, for bytes that came packed.
class TemporaryFile {
public:
    explicit TemporaryFile(const std::string& bytes) {
        std::string name = (std::filesystem::temp_directory_path() / "halvo-XXXXXX").string();
        const int fd = ::mkstemp(name.data());
        if (fd < 0) throw Error(ErrorKind::stage, "no temporary file can be made to unpack into; free some room in " + name);
        ::close(fd);
        path_ = name;
        std::ofstream out(path_, std::ios::binary);
        out.write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
        if (!out.flush()) throw Error(ErrorKind::stage, "there is no room to unpack into " + path_.string());
    }
    ~TemporaryFile() {
        std::error_code ec;
        std::filesystem::remove(path_, ec);
    }
    TemporaryFile(const TemporaryFile&) = delete;
    TemporaryFile& operator=(const TemporaryFile&) = delete;
    [[nodiscard]] const std::filesystem::path& path() const { return path_; }

private:
    std::filesystem::path path_;
};

// The faces of one file that belong to no shell become bodies, one for each group that touches.
void split_loose(KernelFile& file) {
    if (file.tree.loose < 0) return;
    const int at = file.tree.loose;
    std::vector<Body> pieces = split_by_touch(file.parts[static_cast<std::size_t>(at)]);
    const auto it = std::find_if(file.tree.instances.begin(), file.tree.instances.end(), [&](const Instance& i) { return i.part == at; });
    const Instance first = *it;
    file.tree.instances.erase(it);
    for (std::size_t k = 0; k < pieces.size(); ++k) {
        Instance i = first;
        i.name = i.path = pieces.size() == 1 ? "surfaces" : fmt::format("surfaces {}", k + 1);
        if (k == 0) file.parts[static_cast<std::size_t>(at)] = std::move(pieces[0]);
        else i.part = static_cast<int>(file.parts.size()), file.parts.push_back(std::move(pieces[k]));
        file.tree.instances.push_back(std::move(i));
    }
}

Assembly place_parts(KernelFile file, const Observer& observer) {
    split_loose(file);
    for_parts(file.parts.size(), observer, 0.9, 0.97, [&](std::size_t i) {
        finish_body(file.parts[i]);
        turn_outward(file.parts[i]);
    });
    Assembly out;
    out.unit = file.tree.unit;
    // Coordinates near the origin: the middle of everything moves there.
    Box3 box;
    for (const Instance& i : file.tree.instances)
        for (const Vec3& p : file.parts[static_cast<std::size_t>(i.part)].points) box.extend(i.place * p);
    if (!box.isEmpty()) out.shift = box.center();
    out.bodies.resize(file.tree.instances.size());
    for_parts(file.tree.instances.size(), observer, 0.97, 1, [&](std::size_t k) {
        const Instance& i = file.tree.instances[k];
        Body body = moved(file.parts[static_cast<std::size_t>(i.part)], Eigen::Isometry3d(Eigen::Translation3d(-out.shift) * i.place));
        body.name = i.name, body.path = i.path, body.layer = i.layer, body.colour = i.colour, body.part = i.part;
        name_body(body);
        out.bodies[k] = std::move(body);
    });
    return out;
}

// STEP straight from its entities; the CAD kernel reads IGES, and what that does not understand.
Assembly read_exact(const std::filesystem::path& file, FileKind kind, const Bytes& bytes, const Observer& observer) {
    check_whole(file, kind, bytes.data);
    std::string note;
    if (kind == FileKind::step) try {
            return place_parts(read_step(bytes.data, observer), observer);
        } catch (const NotUnderstood& e) {
            note = fmt::format("read by the CAD kernel, which takes longer: the file has {}", e.what());
        } catch (const Error& e) {
            if (e.kind() != ErrorKind::input) throw;
            throw Error(e.kind(), file.string() + ": " + e.what());
        }
    std::optional<TemporaryFile> unpacked;
    if (bytes.packed) unpacked.emplace(bytes.data);
    Assembly out = place_parts(read_in_process(unpacked ? unpacked->path() : file, kind, file.string(), bytes.data.size(), observer), observer);
    if (!note.empty()) out.notes.push_back(note);
    return out;
}

Assembly read_facets(const std::filesystem::path& file, FileKind kind, const std::string& bytes, const std::string& unit, const Observer& observer) {
    FacetFile raw;
    try {
        raw = kind == FileKind::stl ? parse_stl(bytes) : kind == FileKind::obj ? parse_obj(bytes) : parse_ply(bytes);
    } catch (const Error& e) {
        throw Error(e.kind(), file.string() + ": " + e.what());
    }
    observer.tell("read", 0.2);
    Assembly out;
    const double scale = unit.empty() ? 1 : quantity("1 " + unit, "mm");
    Box3 box;
    for (Vec3& p : raw.points) p *= scale, box.extend(p);
    out.shift = box.center();
    for (Vec3& p : raw.points) p -= out.shift;
    const std::string stem = file.filename().stem().string();
    for (std::string& n : raw.names)
        if (n.empty()) n = stem;
    const auto meshes = facet_meshes(raw.points, raw.facets, raw.group, raw.names, raw.separate);
    observer.tell("read", 0.4);
    out.bodies.resize(meshes.size());
    for_parts(meshes.size(), observer, 0.4, 1, [&](std::size_t i) {
        Body b = body_from_facets(meshes[i]);
        b.name = b.path = meshes[i].name, b.part = static_cast<int>(i);
        finish_body(b);
        name_body(b);
        out.bodies[i] = std::move(b);
    });
    out.unit = unit.empty() ? "mm" : unit;
    out.unit_stated = !unit.empty();
    if (raw.empty > 0) out.notes.push_back(fmt::format("{} facets without area were passed over", raw.empty));
    return out;
}

}  // namespace

bool holds_exactly(const Assembly& solids, const SourceOptions& options) {
    const bool whole = std::none_of(solids.bodies.begin(), solids.bodies.end(), [](const Body& b) { return b.faces.empty(); });
    return whole && solids.asked == source_digest(options);
}

std::string file_sha256(const std::filesystem::path& file) {
    return sha256(load(file).data);
}

Assembly read(const std::filesystem::path& file, const SourceOptions& options, const Observer& observer) {
    observer.tell("read", 0);
    const Bytes bytes = load(file);
    const FileKind kind = recognise_kind(file, bytes.data);
    const bool kernel = kind == FileKind::step || kind == FileKind::iges;
    Assembly assembly = kernel ? read_exact(file, kind, bytes, observer) : read_facets(file, kind, bytes.data, options.unit, observer);
    if (kernel && !options.unit.empty() && options.unit != assembly.unit)
        throw Error(ErrorKind::input,
                    fmt::format("{}: the file is in {}, the plan says source.unit = \"{}\"; correct the plan", file.string(), assembly.unit, options.unit));
    assembly.file = file.filename().string();
    assembly.sha256 = sha256(bytes.data);
    assembly.asked = source_digest(options);
    assembly.format = kind_name(kind);
    assembly.precision = kernel ? stated_precision(bytes.data, kind) * quantity("1 " + assembly.unit, "mm") : 0;
    if (const auto named = kind_by_name(file); named && *named != kind)
        assembly.notes.push_back(fmt::format("the name says {}, the content is {}; read as what it is", kind_name(*named), kind_name(kind)));
    finish_assembly(assembly);
    place_bodies(assembly, options.places);
    select_bodies(assembly, options);
    return assembly;
}

}  // namespace halvo
