#pragma once
/// Bodies that run into each other: one is cut back to the other's skin.

#include <halvo/mend.hpp>

namespace halvo {

/// What a body loses where it runs into another.
struct CutBack {
    std::optional<Body> rest;  ///< of the one that is cut; nothing where no plane face of the other parts what lies inside of it
    double lost = 0;           ///< mm3
};

/// Does any of either body lie inside of the other? Where, if so.
[[nodiscard]] std::optional<Vec3> run_into_each_other(const Body& a, const Body& b, double tol);

/// Cuts `body` by the plane face of `other` behind which all that it has inside of `other` lies, and nothing else of it.
[[nodiscard]] CutBack cut_back(const Body& body, const Body& other, double tol);

}  // namespace halvo
