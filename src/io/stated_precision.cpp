#include "io/stated_precision.hpp"

#include <cctype>
#include <cmath>
#include <cstdlib>

namespace halvo::io {
namespace {

double number_at(const std::string& text, std::size_t at) {
    std::string word = text.substr(at, 32);  // no number is written longer
    for (char& c : word)
        if (c == 'D' || c == 'd') c = 'E';  // IGES files may have them
    const double v = std::strtod(word.c_str(), nullptr);
    return std::isfinite(v) && v > 0 ? v : 0;
}

double of_step(const std::string& bytes) {
    const std::size_t at = bytes.find("UNCERTAINTY_MEASURE_WITH_UNIT");
    if (at == std::string::npos) return 0;
    const std::size_t measure = bytes.find("LENGTH_MEASURE", at);
    if (measure == std::string::npos) return 0;
    const std::size_t open = bytes.find('(', measure);
    return open == std::string::npos ? 0 : number_at(bytes, open + 1);
}

// The lines of the global section put together.
std::string global_section(const std::string& bytes) {
    constexpr std::size_t columns = 72, letter = 72;  // of data in a line; the section's letter follows
    std::string out;
    for (std::size_t from = 0; from < bytes.size();) {
        std::size_t end = bytes.find('\n', from);
        if (end == std::string::npos) end = bytes.size();
        if (end - from > letter) {
            const char section = bytes[from + letter];
            if (section == 'G') out += bytes.substr(from, columns);
            else if (section == 'D') break;
        }
        from = end + 1;
    }
    return out;
}

double of_iges(const std::string& bytes) {
    constexpr int wanted = 19;  // the parameter that is the minimum resolution
    const std::string g = global_section(bytes);
    char separator = ',', last = ';';
    int parameter = 1;
    std::size_t at = 0;
    while (at < g.size()) {
        if (parameter == wanted) return number_at(g, at);
        // Texts are written as a count, H and so many characters.
        std::size_t digits = at;
        while (digits < g.size() && std::isspace(static_cast<unsigned char>(g[digits])) != 0) ++digits;
        const std::size_t first = digits;
        while (digits < g.size() && std::isdigit(static_cast<unsigned char>(g[digits])) != 0) ++digits;
        if (digits > first && digits < g.size() && g[digits] == 'H') {
            const auto length = std::strtoul(g.substr(first, digits - first).c_str(), nullptr, 10);
            if (length == 1 && parameter <= 2 && digits + 1 < g.size()) (parameter == 1 ? separator : last) = g[digits + 1];
            at = digits + 1 + length;
        }
        while (at < g.size() && g[at] != separator && g[at] != last) ++at;
        if (at >= g.size() || g[at] == last) return 0;
        ++at, ++parameter;
    }
    return 0;
}

}  // namespace

double stated_precision(const std::string& bytes, FileKind kind) {
    return kind == FileKind::step ? of_step(bytes) : kind == FileKind::iges ? of_iges(bytes) : 0;
}

}  // namespace halvo::io
