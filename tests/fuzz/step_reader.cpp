// Fuzz target of reading STEP from its entities: any text must end as bodies or as one clear reason. Works with a coverage-guided engine
// (LLVMFuzzerTestOneInput), and by itself: step_reader SECONDS FILE... mutates the files at random.
#include "io/step_products.hpp"

#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <random>
#include <sstream>

namespace {

using namespace halvo;

// What becomes of the text; aborts on anything that is neither bodies nor a reason.
bool read_text(const std::string& text) {
    io::KernelFile file;
    try {
        file = io::read_step(text, {});
    } catch (const io::NotUnderstood& e) {
        if (std::strlen(e.what()) < 8) std::abort();
        return false;
    } catch (const Error& e) {
        if (std::strlen(e.what()) < 15 || std::strchr(e.what(), '\n') != nullptr) std::abort();
        return false;
    }
    for (const io::Instance& i : file.tree.instances)
        if (i.part < 0 || static_cast<std::size_t>(i.part) >= file.parts.size()) std::abort();
    for (Body& b : file.parts) {
        for (const Facet& f : b.facets)
            for (const int c : f.corners)
                if (c < 0 || static_cast<std::size_t>(c) >= b.points.size()) std::abort();
        for (const Vec3& p : b.points)
            if (!p.allFinite()) std::abort();
        finish_body(b);
    }
    return true;
}

#ifndef HALVO_FUZZ_ENGINE
// One small change: a byte, a digit, a number for another, a piece taken out or put in twice.
void change(std::string& text, std::mt19937& random) {
    const auto any = [&](std::size_t n) { return std::uniform_int_distribution<std::size_t>(0, n - 1)(random); };
    const std::size_t at = any(text.size());
    switch (any(6)) {
        case 0:
            text[at] = static_cast<char>(any(256));
            break;
        case 1:
            if (const std::size_t d = text.find_first_of("0123456789", at); d != std::string::npos) text[d] = static_cast<char>('0' + any(10));
            break;
        case 2:
            text.erase(at, 1 + any(20));
            break;
        case 3:
            text.insert(at, text.substr(any(text.size()), 1 + any(40)));
            break;
        case 4:
            if (const std::size_t d = text.find('#', at); d != std::string::npos) text.replace(d + 1, 1 + any(3), std::to_string(any(2000)));
            break;
        default:
            if (const std::size_t d = text.find('.', at); d != std::string::npos) text.insert(d, any(2) == 0 ? "99999" : "E300");
    }
}
#endif

}  // namespace

#ifdef HALVO_FUZZ_ENGINE
extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
    read_text(std::string(reinterpret_cast<const char*>(data), size));
    return 0;
}
#else
int main(int count, char** words) {
    if (count < 3) {
        std::fprintf(stderr, "usage: step_reader SECONDS FILE...\n");
        return 2;
    }
    std::vector<std::string> seeds;
    for (int i = 2; i < count; ++i) {
        std::ostringstream text;
        text << std::ifstream(words[i]).rdbuf();
        seeds.push_back(text.str());
        if (!read_text(seeds.back())) {
            std::fprintf(stderr, "%s is not understood as it is\n", words[i]);
            return 1;
        }
    }
    std::mt19937 random(7);
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(std::atoi(words[1]));
    std::size_t whole = 0, all = 0;
    while (std::chrono::steady_clock::now() < end) {
        std::string text = seeds[all % seeds.size()];
        for (std::size_t k = 0, n = 1 + random() % 4; k < n; ++k) change(text, random);
        whole += read_text(text) ? 1 : 0, ++all;
    }
    std::printf("%zu texts, %zu read\n", all, whole);
    return all > 0 ? 0 : 1;
}
#endif
