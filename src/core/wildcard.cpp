#include "core/wildcard.hpp"

namespace halvo {

bool wildcard_match(std::string_view p, std::string_view t) {
    std::size_t i = 0, j = 0, star = std::string_view::npos, mark = 0;
    // One step of the pattern against one character; sets `next` past the step.
    const auto one = [&](std::size_t at, char c, std::size_t& next) {
        next = at + 1;
        if (p[at] == '?') return true;
        if (p[at] != '[') return p[at] == c;
        const std::size_t close = p.find(']', at + 2);
        if (close == std::string_view::npos) return p[at] == c;
        std::size_t k = at + 1;
        const bool negate = p[k] == '!';
        if (negate) ++k;
        bool in = false;
        for (; k < close; ++k) {
            if (k + 2 < close && p[k + 1] == '-') in = in || (p[k] <= c && c <= p[k + 2]), k += 2;
            else in = in || p[k] == c;
        }
        next = close + 1;
        return in != negate;
    };
    while (j < t.size()) {
        std::size_t next = 0;
        if (i < p.size() && p[i] == '*') star = i++, mark = j;
        else if (i < p.size() && one(i, t[j], next)) i = next, ++j;
        else if (star != std::string_view::npos) i = star + 1, j = ++mark;
        else return false;
    }
    while (i < p.size() && p[i] == '*') ++i;
    return i == p.size();
}

}  // namespace halvo
