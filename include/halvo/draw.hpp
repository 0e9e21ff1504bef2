#pragma once
#include <halvo/study.hpp>

#include <array>
#include <optional>

namespace halvo {

struct DrawOptions {
    /// Coverage: the solids, with skin that no sheet accounts for. Joints: edges by number of sheets, joints numbered as in the list.
    /// Features: the solids as read, with what strip took away, proposes and keeps.
    /// Findings: the solids, with what was found and what mend did numbered as in the lists.
    /// Gap: the place of the joint that went furthest (or `at`), halved on the left and joined on the right.
    /// Result: what was solved, as `result`, `load_case` and `mode` say.
    enum class Colour { body, thickness, edges, quality, coverage, joints, gap, features, findings, result };
    Colour colour = Colour::thickness;
    bool solid = false;                    ///< draw the solids instead of the model
    bool survey = false;                   ///< the solids with wall thickness as colour and the findings numbered as in the list
    bool mesh_lines = false;               ///< show element edges
    bool real_thickness = false;           ///< shells as plates and members with their section, beside the outline of the solid
    double azimuth = -55, elevation = 28;  ///< view direction, degrees
    bool worst = false;                    ///< close-up of the element with the least scaled Jacobian
    std::optional<Vec3> at;                ///< close-up of a place (mm, as the file has it)
    double span = 0;                       ///< height of what a close-up shows (mm); 0: twelve elements, or a tenth of the model
    /// Of Colour::result: "displacement", "displacement x", "von mises", "principal 1", "stress along x", "reaction", or of members "axial force",
    /// "shear force y", "torque", "bending moment y" and so on.
    std::string result = "displacement";
    std::string load_case;       ///< its name; empty: the first
    int mode = 0;                ///< from 1: the shape of a mode instead
    std::string side = "worst";  ///< of shells: "top", "bottom", "middle", "worst"
    bool loads = false;          ///< with arrows for what pushes in the case and what holds against it
    /// Section view: what lies beyond this point in this direction is cut away (mm, as the file has them).
    std::optional<std::array<Vec3, 2>> section;
    std::optional<double> deformed;  ///< times the displacement; else so that the largest is a twentieth of the model
    int width = 1280, height = 800;
    std::string title;
};

/// A study as small plots, one a figure, over the first key that is varied.
void draw_study(const std::filesystem::path& file, const Study& study, const std::string& title);

/// Renders off screen to a PNG file. Needs no display.
void draw(const std::filesystem::path& file, const Job& job, const DrawOptions& options = {});
/// The same as the bytes of a PNG file.
[[nodiscard]] std::string picture(const Job& job, const DrawOptions& options = {});

}  // namespace halvo
