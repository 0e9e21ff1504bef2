#pragma once
/// Where bodies touch, overlap or come within reach, found from the solids alone.

#include <halvo/assembly.hpp>

namespace halvo {

struct ContactPoint {
    Vec3 place;
    double gap = 0;   ///< distance between the skins; negative: depth of overlap
    double area = 0;  ///< skin the point stands for; 0 for points of edges and where the skins do not face each other
    bool from_a = true;
    int face_a = -1, face_b = -1;
    bool inner = true;  ///< all of the face that it was taken from, as far as the bodies come near each other, faces the other body
};

/// One connected patch of contact between two bodies (a < b).
struct Contact {
    BodyId a, b;
    std::vector<ContactPoint> points;
    Vec3 centre = Vec3::Zero();
    double gap = 0;   ///< smallest
    double area = 0;  ///< where the skins face each other within reach
};

/// How far facets of a curved body may stand off its skin (mm).
[[nodiscard]] double facets_off(const Body& b);

/// Pairs come from a sweep over body boxes, patches from samples of faces, edges and corners in the overlap of the boxes;
/// distances are between exact surfaces where these are known.
[[nodiscard]] std::vector<Contact> find_contacts(const Assembly& solids, double reach, const Observer& observer = {}, const char* stage = "join");

}  // namespace halvo
