#pragma once
#include <halvo/assembly.hpp>

namespace halvo {

/// Is the body meant by one of the patterns: its number, its key, or its name or path with wildcards? Without patterns any body is.
[[nodiscard]] bool is_named(const BodyNames& body, const std::vector<std::string>& patterns);

/// Where the skin of some body is nearest to a place.
struct SkinPlace {
    BodyId body;
    int facet = -1;
    double distance = 0;
};
/// The body whose skin a point of the plan lies on (in Halvo's own coordinates), within a hundredth of the model; of those allowed, if given.
[[nodiscard]] std::optional<SkinPlace> skin_at(const Assembly& solids, const Vec3& at, const std::vector<bool>& allowed = {});

/// A box of the plan in Halvo's own coordinates.
[[nodiscard]] std::optional<Box3> own_box(const std::optional<Box3>& box, const Vec3& shift);

}  // namespace halvo
