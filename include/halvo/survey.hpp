#pragma once
#include <halvo/assembly.hpp>
#include <halvo/ledger.hpp>
#include <halvo/options.hpp>

namespace halvo {

/// Wall thicknesses that belong together: no gap between them wider than a hundredth.
struct ThicknessBand {
    double from = 0, to = 0, mean = 0;  ///< mm
    double share = 0;                   ///< of the body's wall skin
};

/// A connected part of the skin that is neither wall nor rim.
struct BulkRegion {
    double area = 0;
    Vec3 place = Vec3::Zero();  ///< middle of its box
    Vec3 size = Vec3::Zero();
    double across = 0;  ///< largest ball that fits inside there, diameter
    FaceId face;        ///< its largest face
};

struct BodySurvey {
    BodyClass kind = BodyClass::bulk;
    std::string why;                    ///< the figures behind the class
    double thinnest = 0, thickest = 0;  ///< range of wall thickness by inward rays, 0 when there are no walls (mm)
    Vec3 thinnest_at = Vec3::Zero(), thickest_at = Vec3::Zero();
    std::vector<ThicknessBand> bands;  ///< largest share first
    double wall_area = 0, rim_area = 0, rest_area = 0;
    double thin_share = 0;                                   ///< share of the skin that belongs to walls and their rims
    std::vector<BulkRegion> bulk;                            ///< of mixed bodies, largest first
    double length = 0, depth = 0;                            ///< of slender bodies
    std::string profile;                                     ///< shape name of slender bodies
    std::vector<std::pair<std::string, double>> dimensions;  ///< of the profile (mm)
    double solid_nodes = 0, model_nodes = 0;                 ///< estimates, see Survey::rule
};

struct Survey {
    std::vector<BodySurvey> bodies;  ///< one a body, same order
    std::vector<Finding> findings;   ///< warnings first, notes after
    double size = 0;                 ///< element size the estimates assume (mm)
    double solid_nodes = 0, model_nodes = 0;
    std::string rule;  ///< how the nodes were estimated
};

/// Volume, class, thicknesses and defects of every body. Bodies that are one part in several places are looked at once.
[[nodiscard]] Survey survey(const Assembly& solids, const SurveyOptions& options = {}, const Observer& observer = {});

/// Largest ball inside the body that touches its skin at `point` (outward unit `normal`), at most `ray` across: diameter.
[[nodiscard]] double inscribed_ball(const Body& body, const Vec3& point, const Vec3& normal, double ray);

}  // namespace halvo
