#pragma once
/// The parts of the survey: each looks for one family of findings.

#include "body/skin.hpp"

#include <halvo/survey.hpp>

namespace halvo {

/// What is known of one body when its findings are looked for.
struct Surveyed {
    const Body& body;
    const SurveyOptions& options;
    const Skin& skin;
    const BodySurvey& summary;
    double tol = 0;

    [[nodiscard]] double wall() const;  ///< thickness that stands for the body: its largest band, or twice volume over area
    /// A finding about the body (and a face); `measures` make the id.
    [[nodiscard]] Finding finding(FindingKind kind, std::string about, std::string advice, const Vec3& place, double size, int face,
                                  std::initializer_list<double> measures) const;
    [[nodiscard]] double narrow() const;
};

using Findings = std::vector<Finding>;

/// Twice the farthest corner from the centre: the size of a body however it is turned.
[[nodiscard]] double extent(const Body& body);
/// The same of all bodies together.
[[nodiscard]] double extent(const Assembly& solids);

/// Thickness bands, extremes and regions of bulk, from the skin.
void measure_thickness(const Body& body, const Skin& skin, BodySurvey& out);

/// Free edges, missing faces, edges side by side, doubled and inverted faces.
void find_open_skin(const Surveyed& s, Findings& out);
/// Needless and short edges, sliver faces.
void find_poor_faces(const Surveyed& s, Findings& out);
void find_self_intersection(const Surveyed& s, Findings& out);
/// Small holes, small rounds, raised or sunk features, walls outside the wanted range.
void find_details(const Surveyed& s, Findings& out);
/// Doubled and tiny bodies, overlaps, near misses and contacts; unit and reader notes.
void find_between_bodies(const Assembly& solids, const Survey& survey, const SurveyOptions& options, const Observer& observer, Findings& out);

/// Nodes of a solid mesh and of shells and beams, and the rule.
void estimate_nodes(const Assembly& solids, Survey& survey);

}  // namespace halvo
