#pragma once
/// Closed forms that results are held against: tubes, vessels, beams and plates.

#include <halvo/loads.hpp>

namespace halvo {

struct KnownForm {
    std::string name;                       ///< as a plan calls it
    std::string formula, source;            ///< in the names of its quantities
    std::string unit;                       ///< of the value: mm, MPa, rad, Hz
    std::vector<std::string> quantities;    ///< that it takes; "length", "pressure" ... as known_quantities lists them
    double (*value)(const double* values);  ///< of the quantities in that order
};
[[nodiscard]] const std::vector<KnownForm>& known_forms();
/// Nothing where there is no form of that name.
[[nodiscard]] const KnownForm* known_form(const std::string& name);

/// Value of the form that a rule names. Throws Error{input} for a form that is not known, a quantity that is missing or not the form's.
[[nodiscard]] double known_value(const KnownRule& rule);

}  // namespace halvo
