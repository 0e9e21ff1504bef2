#pragma once
/// Parts and assemblies that several tests run through.

#include "support.hpp"

namespace test {

struct Named {
    std::string name;
    std::vector<make::Item> items;
};

/// Assemblies of one connected structure each, with every kind of joint among them.
[[nodiscard]] std::vector<Named> joined_assemblies();
/// Single solids of flat walls.
[[nodiscard]] std::vector<Named> flat_solids();

}  // namespace test
