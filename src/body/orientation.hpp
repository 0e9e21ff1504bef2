#pragma once
#include <halvo/assembly.hpp>

namespace halvo {

/// Faces of a connected skin that look the other way than most of it, by area.
struct AgainstMost {
    std::vector<int> faces;
    std::size_t of = 0;  ///< faces of the skin
    double area = 0;     ///< of those that look the other way (mm2)
    bool told = true;    ///< do all edges between them and the others say so?
};

/// Two uses of an edge must run against each other; faces that agree are grouped, the smaller groups look the wrong way.
[[nodiscard]] std::vector<AgainstMost> faces_against_most(const Body& body);

}  // namespace halvo
