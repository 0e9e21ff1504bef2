#include "core/keys.hpp"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <cstdint>

namespace halvo {
namespace {

// FNV-1a, 64 bit.
struct Hash {
    std::uint64_t h = 1469598103934665603ULL;
    void add(std::uint64_t v) {
        for (int i = 0; i < 8; ++i) h = (h ^ ((v >> (8 * i)) & 0xff)) * 1099511628211ULL;
    }
    void add(std::string_view s) {
        for (char c : s) h = (h ^ static_cast<unsigned char>(c)) * 1099511628211ULL;
    }
};

// Quantum of a measure (mm): far above rounding noise, below what an analyst calls a change. The offset keeps round
// numbers away from the borders between two quanta.
constexpr double quantum = 1e-3;
constexpr double border_offset = 0.3183098861;

}  // namespace

std::string make_key(std::string_view kind, std::string_view text, std::span<const double> measures) {
    Hash hash;
    hash.add(kind);
    hash.add(text);
    for (double m : measures) hash.add(static_cast<std::uint64_t>(std::llround(m / quantum + border_offset)));
    static constexpr char letters[] = "23456789abcdefghjkmnpqrstvwxyz";
    std::string out(kind);
    out += '-';
    for (int i = 0; i < 6; ++i) {
        out += letters[hash.h % 30];
        hash.h /= 30;
    }
    return out;
}

std::string make_key(std::string_view kind, std::string_view text, std::initializer_list<double> measures) {
    return make_key(kind, text, std::span<const double>(measures.begin(), measures.size()));
}

std::string own_key(const std::string& key_in_part, std::string_view body) {
    return make_key(std::string_view(key_in_part).substr(0, key_in_part.rfind('-')), key_in_part + " " + std::string(body), {});
}

std::string KeySet::unique(const std::string& key) {
    const int n = ++seen_[key];
    return n == 1 ? key : key + "-" + std::to_string(n);
}

bool natural_less(std::string_view a, std::string_view b) {
    const auto digit = [](char c) { return std::isdigit(static_cast<unsigned char>(c)) != 0; };
    std::size_t i = 0, j = 0;
    while (i < a.size() && j < b.size()) {
        if (digit(a[i]) && digit(b[j])) {
            std::size_t ie = i, je = j;
            while (ie < a.size() && digit(a[ie])) ++ie;
            while (je < b.size() && digit(b[je])) ++je;
            std::string_view x = a.substr(i, ie - i), y = b.substr(j, je - j);
            x.remove_prefix(std::min(x.find_first_not_of('0'), x.size()));
            y.remove_prefix(std::min(y.find_first_not_of('0'), y.size()));
            if (x.size() != y.size()) return x.size() < y.size();
            if (x != y) return x < y;
            i = ie, j = je;
            continue;
        }
        if (a[i] != b[j]) return a[i] < b[j];
        ++i, ++j;
    }
    return a.size() - i < b.size() - j;
}

}  // namespace halvo
