#pragma once
/// Stable ids: short keys made from what a thing is and measures, the same wherever it stands and in whatever order it came.

#include <initializer_list>
#include <map>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace halvo {

/// "<kind>-<six letters or digits>" from text and measures; measures are quantized so that rounding noise does not show.
[[nodiscard]] std::string make_key(std::string_view kind, std::string_view text, std::span<const double> measures);
[[nodiscard]] std::string make_key(std::string_view kind, std::string_view text, std::initializer_list<double> measures);

/// The id of a thing in one body, from the key that it has in every body of the same part: of the same kind as that.
[[nodiscard]] std::string own_key(const std::string& key_in_part, std::string_view body);

/// Makes keys unique by appending "-2", "-3", ... to repeats, in the order given.
class KeySet {
public:
    [[nodiscard]] std::string unique(const std::string& key);

private:
    std::map<std::string, int> seen_;
};

/// Natural order of names: digits compare as numbers ("post 2" before "post 10").
[[nodiscard]] bool natural_less(std::string_view a, std::string_view b);

}  // namespace halvo
