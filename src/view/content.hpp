#pragma once
/// What goes into a figure: scene, scale, legend, captions, marks.

#include "view/scene.hpp"

#include <halvo/draw.hpp>

#include <optional>

namespace halvo::view {

struct Scale {
    std::string name, unit;
    double low = 0, high = 1;
    std::vector<double> values;  ///< the values that occur, when they are few
};
struct LegendLine {
    std::string text, note;
    Colour colour;
    double width = 1;
    bool dashed = false, area = false;
};
struct Mark {
    Vec3 place;
    std::string text;
};
struct Content {
    Scene scene;
    std::string title;
    std::optional<Scale> scale;
    std::vector<LegendLine> legend;
    std::vector<std::string> captions;
    std::vector<Mark> marks;
    std::vector<std::string> list;  ///< numbered lines beside the picture
};

/// The solids coloured by wall thickness, findings numbered.
[[nodiscard]] Content compose_survey(const Job& job);
/// The solids, skin without a sheet marked and numbered as in the proof.
[[nodiscard]] Content compose_coverage(const Job& job);
/// The solids as read, with what strip found in them numbered as in the list.
[[nodiscard]] Content compose_features(const Job& job);
/// The solids, findings and what mend did to them numbered as in the lists; free edges thick.
[[nodiscard]] Content compose_findings(const Job& job);
/// What was solved, on the deformed shape.
[[nodiscard]] Content compose_result(const Job& job, const DrawOptions& options);
/// Sheets and members as they were halved, each within its own body, with the solids' edges.
[[nodiscard]] Content compose_before(const Job& job);
/// Where the joint is that went furthest.
[[nodiscard]] Vec3 widest_gap(const Job& job);
[[nodiscard]] Content compose(const Job& job, const DrawOptions& options);
[[nodiscard]] std::string place_text(const Vec3& p, const Vec3& shift);

}  // namespace halvo::view
