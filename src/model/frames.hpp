#pragma once
#include <halvo/model.hpp>

namespace halvo {

/// A frame of the plan as it lies in a model, in Halvo's own coordinates.
struct LocalFrame {
    FrameRule::Kind kind = FrameRule::Kind::cartesian;
    Frame frame;
    /// Directions at a place: x y z; outward, round and along the axis; or outward, down from the pole and round.
    [[nodiscard]] Eigen::Matrix3d axes(const Vec3& p) const;
};

/// The frame of a name; the file's axes for none. Throws Error{stage} where the plan has no such frame, or no edge for it.
[[nodiscard]] LocalFrame frame_named(const std::string& name, const std::vector<FrameRule>& rules, const Model& model);

}  // namespace halvo
