#include "io/reader_program.hpp"

#include <halvo/io.hpp>

#include <fmt/format.h>
#include <unistd.h>

#include <cstdlib>
#include <vector>

namespace halvo {
namespace {

std::filesystem::path& named_reader() {
    static std::filesystem::path path;
    return path;
}

}  // namespace

void use_reader(const std::filesystem::path& program) {
    named_reader() = program;
}

namespace io {

std::filesystem::path reader_program() {
    const auto runs = [](const std::filesystem::path& p) { return ::access(p.c_str(), X_OK) == 0 && !std::filesystem::is_directory(p); };
    if (const char* wanted = std::getenv("HALVO_READER"); wanted && *wanted) {
        if (runs(wanted)) return wanted;
        throw Error(ErrorKind::stage, fmt::format("HALVO_READER names {}, which is no program; name halvo-reader there, or unset it", wanted));
    }
    std::vector<std::filesystem::path> places;
    if (!named_reader().empty()) places.push_back(named_reader());
    std::error_code ec;
    if (const auto self = std::filesystem::read_symlink("/proc/self/exe", ec).parent_path(); !ec)
        places.push_back(self / "halvo-reader"), places.push_back((self / "../libexec/halvo/halvo-reader").lexically_normal());
    places.emplace_back(HALVO_READER_INSTALLED);
    places.emplace_back(HALVO_READER_BUILT);
    std::string looked;
    for (const auto& p : places) {
        if (runs(p)) return p;
        looked += (looked.empty() ? "" : ", ") + p.string();
    }
    throw Error(ErrorKind::stage, fmt::format("the program halvo-reader, which opens CAD files, is not at {}; name it in HALVO_READER", looked));
}

}  // namespace io
}  // namespace halvo
