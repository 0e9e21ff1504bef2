#pragma once
#include "io/exchange_file.hpp"
#include "io/kernel_file.hpp"
#include "io/step_geometry.hpp"

namespace halvo::io {

/// A shape that stands somewhere: what to read it from, once however often it stands.
struct StepPart {
    std::vector<std::uint64_t> items;  ///< one; shells of one face each, which stand for loose surfaces, together
    StepUnits units;
};

struct StepTree {
    Tree tree;                    ///< as the CAD kernel would give it
    std::vector<StepPart> parts;  ///< by the number that instances have
};

/// Walks products, their usage in each other, and their shapes (ISO 10303-41, -43, -44), with names, colours and layers. NotUnderstood
/// where an item is of a kind that this reader does not know.
[[nodiscard]] StepTree step_tree(const ExchangeFile& file);

/// Bodies of a STEP file straight from its entities; NotUnderstood says what it does not know.
[[nodiscard]] KernelFile read_step(std::string_view text, const Observer& observer);

}  // namespace halvo::io
