// Fuzz target of the own readers: any bytes must end as facets or as one clear line. Works with a coverage-guided engine
// (LLVMFuzzerTestOneInput), and by itself: facet_readers KIND SECONDS mutates small valid files at random.
#include "body/facet_body.hpp"
#include "io/facet_file.hpp"

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <random>

namespace {

using namespace halvo;
using Parser = io::FacetFile (*)(std::string_view);

// What becomes of the bytes; aborts on anything that is neither facets nor a clear line.
bool read_facets(Parser parse, std::string_view bytes) {
    io::FacetFile file;
    try {
        file = parse(bytes);
    } catch (const Error& e) {
        if (std::strlen(e.what()) < 15 || std::strchr(e.what(), '\n')) std::abort();
        return false;
    }
    if (file.group.size() != file.facets.size()) std::abort();
    for (std::size_t i = 0; i < file.facets.size(); ++i) {
        for (int c : file.facets[i])
            if (c < 0 || static_cast<std::size_t>(c) >= file.points.size()) std::abort();
        if (file.group[i] < 0 || static_cast<std::size_t>(file.group[i]) >= file.names.size()) std::abort();
    }
    if (file.facets.size() > 400) return true;
    for (const FacetMesh& m : facet_meshes(file.points, file.facets, file.group, file.names, file.separate)) {
        Body b = body_from_facets(m);
        finish_body(b);
        for (const Facet& f : b.facets)
            if (f.face < 0 || static_cast<std::size_t>(f.face) >= b.faces.size()) std::abort();
    }
    return true;
}

#ifndef HALVO_FUZZ_ENGINE
std::vector<std::string> seeds(const std::string& kind) {
    const char* ply_head =
        " 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nelement face 4\nproperty list uchar int vertex_indices\nend_header\n";
    if (kind == "obj")
        return {
            "# a\no box\nv 0 0 0\nv 10 0 0\nv 10 10 0\nv 0 10 0\nv 0 0 5\nv 10 0 5\nv 10 10 5\nv 0 10 5\nf 4 3 2 1\nf 5 6 7 8\nf 1 2 6 5\nf 2 3 7 6\nf 3 4 8 "
            "7\nf 4 1 5 8\n",
            "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\ng a\nf 1/1/1 3/2/1 2/3/1\nf -4 -3 -1\nf 2//1 3//1 4//1\nf 1 4 3\n"};
    if (kind == "ply") {
        std::string binary = std::string("ply\nformat binary_little_endian") + ply_head;
        const float p[12] = {0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1};
        binary.append(reinterpret_cast<const char*>(p), sizeof p);
        const int f[4][3] = {{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {0, 3, 2}};
        for (const auto& t : f) binary += '\3', binary.append(reinterpret_cast<const char*>(t), sizeof t);
        return {std::string("ply\nformat ascii") + ply_head + "0 0 0\n1 0 0\n0 1 0\n0 0 1\n3 0 2 1\n3 0 1 3\n3 1 2 3\n3 0 3 2\n", binary};
    }
    std::string text = "solid t\n", binary(80, ' ');
    const float c[4][3] = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
    const int f[4][3] = {{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {0, 3, 2}};
    const std::uint32_t n = 4;
    binary.append(reinterpret_cast<const char*>(&n), 4);
    for (const auto& t : f) {
        text += "facet normal 0 0 0\nouter loop\n";
        binary.append(12, '\0');
        for (int k : t) {
            char line[96];
            std::snprintf(line, sizeof line, "vertex %g %g %g\n", double(c[k][0]), double(c[k][1]), double(c[k][2]));
            text += line;
            binary.append(reinterpret_cast<const char*>(c[k]), 12);
        }
        text += "endloop\nendfacet\n";
        binary.append(2, '\0');
    }
    return {text + "endsolid t\n", binary};
}

std::string mutated(std::string s, const std::vector<std::string>& all, std::mt19937& random) {
    static const std::vector<std::string> words = {"-1", "0", "nan",  "1e309",   "4294967295", "-2147483648", "solid",       "endfacet",
                                                   "f",  "v", "list", "element", "\n",         " ",           "999999999999"};
    for (unsigned k = 0; k <= random() % 6 && !s.empty(); ++k) {
        const std::size_t at = random() % s.size(), n = 1 + random() % 24;
        switch (random() % 7) {
            case 0:
                s[at] = static_cast<char>(s[at] ^ (1 << (random() % 8)));
                break;
            case 1:
                s.erase(at, n);
                break;
            case 2:
                s.insert(at, s.substr(random() % s.size(), n));
                break;
            case 3:
                s.resize(at);
                break;
            case 4:
                s.replace(at, std::min(n, s.size() - at), words[random() % words.size()]);
                break;
            case 5:
                s[at] = static_cast<char>(random());
                break;
            default: {
                const std::string& other = all[random() % all.size()];
                s = s.substr(0, at) + other.substr(random() % other.size());
            }
        }
    }
    return s;
}
#endif

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    if (size == 0) return 0;
    const std::string_view bytes(reinterpret_cast<const char*>(data) + 1, size - 1);
    constexpr Parser parsers[] = {io::parse_stl, io::parse_obj, io::parse_ply};
    read_facets(parsers[data[0] % 3], bytes);
    return 0;
}

#ifndef HALVO_FUZZ_ENGINE
int main(int argc, char** argv) {
    if (argc != 3) {
        std::fprintf(stderr, "usage: facet_readers stl|obj|ply SECONDS\n");
        return 2;
    }
    const std::string kind = argv[1];
    const Parser parse = kind == "obj" ? io::parse_obj : kind == "ply" ? io::parse_ply : io::parse_stl;
    const auto start = std::chrono::steady_clock::now();
    const std::vector<std::string> good = seeds(kind);
    std::vector<std::string> pool = good;
    for (const std::string& s : good)
        if (!read_facets(parse, s)) return std::fprintf(stderr, "a sound %s seed is refused\n", kind.c_str()), 1;
    std::mt19937 random(20260);
    long runs = 0, taken = 0;
    while (std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count() < std::atof(argv[2])) {
        const std::string s = mutated(pool[random() % pool.size()], pool, random);
        ++runs;
        if (read_facets(parse, s)) {
            ++taken;
            // What still reads is a seed for more; the pool stays small and keeps the sound ones.
            if (pool.size() < 200) pool.push_back(s);
            else pool[good.size() + random() % (pool.size() - good.size())] = s;
        }
    }
    std::printf("%s: %ld inputs, %ld read, the others refused with one line\n", kind.c_str(), runs, taken);
    return 0;
}
#endif
