#pragma once
/// From a model's mesh and the plan's rules to a structure: stiffness, masses, what holds it.

#include "solve/selection.hpp"

#include <halvo/solve.hpp>

namespace halvo {

/// Structure without supports, and which element of the mesh each part is.
struct Built {
    Structure structure;
    std::vector<std::int32_t> shell_elements, beam_elements;
    std::vector<Property> properties;
    std::vector<std::int32_t> shell_properties, beam_properties;  ///< number of the property of each part
    std::map<std::int32_t, std::string> peaks;                    ///< nodes at which stress has no end, and why
};
/// Also gives each [[point]] its node. Throws Error{stage} where a material is missing or a rule picks nothing.
[[nodiscard]] Built built(Picker& picker, const SolveOptions& options);

/// Adds the equations and springs of a support; its number is their source. Throws Error{stage} where it picks nothing.
void add_support(Structure& structure, const Picker& picker, const SupportRule& rule, std::int32_t source);

/// Adds a load times a factor. Throws Error{stage} where it picks nothing or nothing that it could push.
void add_load(StructureLoads& loads, const Built& built, const Picker& picker, const LoadRule& rule, double factor);

/// Marks the nodes at which a rule holds or pushes single points.
void mark_peaks(Built& built, const Picker& picker, const SolveOptions& options);

/// What can still move, in one line.
[[nodiscard]] std::string motions_text(const std::vector<FreeMotion>& motions, const Built& built, const Model& model, const Mesh& mesh);

/// What a rule is called in messages.
[[nodiscard]] std::string called(const LoadRule& rule);

}  // namespace halvo
