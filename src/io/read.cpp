#include <halvo/io.hpp>

#include "io/read_step.hpp"
#include "io/select.hpp"

#include <openssl/evp.h>

#include <fmt/format.h>

#include <array>
#include <fstream>

namespace halvo {
namespace {

std::string sha256(const std::string& bytes) {
    std::array<unsigned char, 32> digest{};
    unsigned int n = 0;
    EVP_Digest(bytes.data(), bytes.size(), digest.data(), &n, EVP_sha256(), nullptr);
    std::string out;
    for (unsigned char c : digest) out += fmt::format("{:02x}", c);
    return out;
}

std::string load(const std::filesystem::path& file) {
    std::error_code ec;
    if (!std::filesystem::exists(file, ec)) throw Error(ErrorKind::input, file.string() + ": no such file; check the path");
    if (std::filesystem::is_directory(file, ec)) throw Error(ErrorKind::input, file.string() + ": is a folder; name a STEP file in it");
    std::ifstream in(file, std::ios::binary);
    if (!in) throw Error(ErrorKind::input, file.string() + ": cannot be opened; check its permissions");
    return {std::istreambuf_iterator<char>(in), {}};
}

// The kernel reads damaged files as far as it can and calls that success; these checks make it an error.
void check_step(const std::filesystem::path& file, const std::string& bytes) {
    if (bytes.find_first_not_of(" \t\r\n") == std::string::npos) throw Error(ErrorKind::input, file.string() + ": the file is empty; export it again from CAD");
    const std::size_t head = bytes.find("ISO-10303-21;");
    if (head == std::string::npos || head > 4096)
        throw Error(ErrorKind::input, file.string() + ": not a STEP file (it does not start with ISO-10303-21); give a STEP file");
    const std::size_t tail = bytes.size() > 4096 ? bytes.size() - 4096 : 0;
    if (bytes.find("END-ISO-10303-21;", tail) == std::string::npos)
        throw Error(ErrorKind::input, fmt::format("{}: the STEP file ends early, after {} bytes; copy or export it again", file.string(), bytes.size()));
}

}  // namespace

Assembly read(const std::filesystem::path& file, const SourceOptions& options, const Observer& observer) {
    const std::string bytes = load(file);
    check_step(file, bytes);
    Assembly assembly = io::read_step(file, observer);
    assembly.file = file.filename().string();
    assembly.sha256 = sha256(bytes);
    if (!options.unit.empty() && options.unit != assembly.unit)
        throw Error(ErrorKind::input,
                    fmt::format("{}: the file is in {}, the plan says source.unit = \"{}\"; correct the plan", file.string(), assembly.unit, options.unit));
    io::select_bodies(assembly, options);
    return assembly;
}

}  // namespace halvo
