#include <halvo/plan.hpp>

#include <algorithm>

namespace halvo {
namespace {

// Letters to insert, drop or change (Levenshtein 1966).
std::size_t edit_distance(const std::string& a, const std::string& b) {
    std::vector<std::size_t> row(b.size() + 1);
    for (std::size_t j = 0; j <= b.size(); ++j) row[j] = j;
    for (std::size_t i = 1; i <= a.size(); ++i) {
        std::size_t diagonal = row[0];
        row[0] = i;
        for (std::size_t j = 1; j <= b.size(); ++j) {
            const std::size_t up = row[j];
            row[j] = std::min({row[j] + 1, row[j - 1] + 1, diagonal + (a[i - 1] == b[j - 1] ? 0 : 1)});
            diagonal = up;
        }
    }
    return row[b.size()];
}

}  // namespace

std::string nearest_name(const std::string& word, const std::vector<std::string>& known) {
    std::string best;
    for (const std::string& k : known)
        if (best.empty() || edit_distance(word, k) < edit_distance(word, best)) best = k;
    return best;
}

}  // namespace halvo
