#pragma once
/// Thickness for shell meshes made elsewhere: elements and solids need no relation but their place.

#include <halvo/assembly.hpp>

namespace halvo {

/// What one shell element lies in.
struct ShellThickness {
    double thickness = 0;  ///< along the element's normal (mm); 0 where no solid was found
    double offset = 0;     ///< from the element to the middle of the material, along the normal (mm)
    BodyId body;           ///< index into Assembly::bodies
};

/// For each element (three or four nodes, -1 where there is no fourth): rays along both senses of its normal from its middle and from
/// points towards its corners. The material they run in, or begin to within half its own thickness, counts where both of its
/// sides face the element within 60 degrees; the thinnest of these is taken, so that a rib behind a plate does not.
/// Nodes in Halvo's coordinates (mm, the assembly's shift taken off).
[[nodiscard]] std::vector<ShellThickness> shell_thickness(const Assembly& solids, const std::vector<Vec3>& nodes,
                                                          const std::vector<std::array<std::int64_t, 4>>& elements);

}  // namespace halvo
