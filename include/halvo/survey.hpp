#pragma once
#include <halvo/assembly.hpp>
#include <halvo/ledger.hpp>
#include <halvo/options.hpp>

namespace halvo {

struct BodySurvey {
    BodyClass kind = BodyClass::bulk;
    std::string why;                    ///< the figures behind the class
    double thinnest = 0, thickest = 0;  ///< range of wall thickness by inward rays, 0 when there are no walls (mm)
    double thin_share = 0;              ///< share of the skin that belongs to walls and their rims
    double length = 0, depth = 0;       ///< of slender bodies
    std::string profile;                ///< shape name of slender bodies
};

struct Survey {
    std::vector<BodySurvey> bodies;  ///< one a body, same order
    std::vector<Finding> findings;
};

/// Volume, class, thickness range and defects of every body.
[[nodiscard]] Survey survey(const Assembly& solids, const SurveyOptions& options = {}, const Observer& observer = {});

}  // namespace halvo
