#pragma once
/// Parts of everyday kinds made up by chance, each by its number: the same number makes the same part.

#include "shapes.hpp"

#include <string>
#include <vector>

namespace test {

struct RandomPart {
    std::string family;
    int number = 0;
};

/// Kinds of part there are.
[[nodiscard]] const std::vector<std::string>& random_families();
/// Throws std::runtime_error where the CAD kernel makes no solid of it.
[[nodiscard]] make::Solid make_random(const RandomPart& part);

}  // namespace test
