#pragma once
#include "io/step_geometry.hpp"

#include <halvo/assembly.hpp>

namespace halvo::io {

/// The body of a solid, a shell or several, of the file's own faces, edges and surfaces, with facets; not finished. `item` is the number
/// of a MANIFOLD_SOLID_BREP, BREP_WITH_VOIDS, FACETED_BREP or shell. NotUnderstood where there is something that this reader does not
/// know or cannot lay out: the CAD kernel may.
[[nodiscard]] Body step_body(const ExchangeFile& file, const StepUnits& units, const std::vector<std::uint64_t>& items);

/// Faces of a shell, for those who count them.
[[nodiscard]] std::vector<std::uint64_t> step_shell_faces(const ExchangeFile& file, std::uint64_t shell);

}  // namespace halvo::io
