#pragma once
#include <halvo/model.hpp>

namespace halvo {

/// Sheets of a body that is surfaces only: each face as it is, with the thickness given, sharing edges where faces meet or cross.
void surfaces_as_sheets(Model& model, const Assembly& solids, BodyId body, double thickness);

}  // namespace halvo
