#pragma once
#include "view/palette.hpp"

#include <halvo/types.hpp>

namespace halvo::view {

struct SceneTriangle {
    Vec3 a, b, c;
    Colour colour;
};
struct SceneLine {
    std::vector<Vec3> points;
    Colour colour;
    double width = 1;
    bool dashed = false;
    bool on_top = false;  ///< a little towards the viewer, so that it is not lost in the surface it lies on
};

/// Things to be drawn, and the parallel view of them.
struct Scene {
    std::vector<SceneTriangle> triangles;
    std::vector<SceneLine> lines;
    double azimuth = -55, elevation = 28;

    struct View {
        Vec3 right, up, toward;  ///< screen axes and the direction to the viewer
        Vec2 centre;             ///< of what is shown, in screen axes
        double scale = 1;        ///< pixels per mm
        int width = 0, height = 0;
        double near = 0, far = 0;
        [[nodiscard]] Vec2 pixel(const Vec3& p) const {
            return {width / 2.0 + scale * (right.dot(p) - centre.x()), height / 2.0 - scale * (up.dot(p) - centre.y())};
        }
    };
    /// Takes away what lies beyond a point in a direction.
    void cut(const Vec3& point, const Vec3& direction);
    /// View that fits everything into width x height with a margin.
    [[nodiscard]] View fit(int width, int height) const;
    /// RGBA, first row at the bottom, `factor` times the size of the view.
    [[nodiscard]] std::vector<std::uint8_t> render(const View& view, int factor) const;
};

}  // namespace halvo::view
