#pragma once
#include <halvo/assembly.hpp>

#include <TopoDS_Shape.hxx>

namespace halvo::io {

/// A solid, shell or compound of faces of the CAD kernel as a Body: own surfaces and curves, facets; not finished.
[[nodiscard]] Body convert_shape(const TopoDS_Shape& shape);

}  // namespace halvo::io
