#pragma once
/// A library of structures as they are built, several bodies each, and what is measured on each of them.
#include "structures.hpp"

namespace test {

struct Scene {
    std::string name;
    Items items;
    Plan plan;
};

/// All of them, in the order of the table in docs/scenes.md.
[[nodiscard]] const std::vector<std::string>& scene_names();
[[nodiscard]] Scene scene(const std::string& name);

/// The same scene in other places and units: 0 as drawn, 1 turned about an odd axis and 100 m away, 2 in inches, 3 in metres and lying on
/// its side, 4 with its bodies in reverse order.
constexpr int scene_ways = 5;
[[nodiscard]] Job job_of(const Scene& scene, int way);

/// What a scene is judged by.
struct SceneFigures {
    std::size_t bodies = 0, sheets = 0, members = 0, joints = 0, nodes = 0, elements = 0, links = 0;
    int parts = 0;
    double worst_mesh = 0;  ///< of a body's mesh against its solid, as a share; -1 for a body without mesh
    std::string worst_body;
    double stray_link = 0;  ///< how much further than half an element beyond the nearest node on the other side a link goes (mm)
    double lost_area = 0;   ///< the largest share of a sheet that its mesh does not cover
    double least_jacobian = 1;
    std::size_t poor = 0;      ///< shells with a scaled Jacobian below 0.3
    std::size_t findings = 0;  ///< warnings
    double seconds = 0;        ///< of all stages from survey on
    bool within = false;
};
[[nodiscard]] SceneFigures figures_of(const Job& job);

}  // namespace test
