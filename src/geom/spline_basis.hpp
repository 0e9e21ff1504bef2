#pragma once
/// B-spline basis functions of one parameter.

#include "core/index.hpp"

#include <algorithm>
#include <array>
#include <vector>

namespace halvo {

constexpr int most_degree = 25;  // the CAD kernel's own limit: no higher one reaches us
using BasisRow = std::array<double, most_degree + 1>;

[[nodiscard]] inline int knot_span(const std::vector<double>& knots, int degree, double t) {
    const auto first = knots.begin() + degree, last = knots.end() - degree - 1;
    const auto it = std::upper_bound(first, last, t);
    return static_cast<int>(std::clamp<std::ptrdiff_t>(it - knots.begin() - 1, degree, last - knots.begin() - 1));
}

/// Values, first and second derivatives of the basis functions that are not zero on a span: entries 0 to degree. Derivatives come from
/// the values of one degree lower (The NURBS Book, equation 2.7), which needs no table of differences for the two orders wanted.
struct Basis {
    int span;
    BasisRow n, d1, d2;
};

/// Derivative of degree-p functions from values (or derivatives) `low` of degree p - 1 on the same span.
inline void raise_basis(const std::vector<double>& k, int span, int p, const BasisRow& low, BasisRow& out) {
    double before = 0;
    for (int j = 0; j <= p; ++j) {
        const int i = span - p + j;
        const double b = k[ix(i + p + 1)] - k[ix(i + 1)], y = j < p && b > 0 ? low[ix(j)] / b : 0;
        out[ix(j)] = p * (before - y);
        before = y;
    }
}

/// The values grow degree by degree; those of the two degrees below the last give the derivatives, as far as `order` asks.
inline void fill_basis(const std::vector<double>& k, int degree, double t, int order, Basis& b) {
    b.span = knot_span(k, degree, t);
    BasisRow left, right, low, lower, slope;
    b.n[0] = 1;
    if (degree < 2) b.d2[0] = b.d2[1] = 0;
    if (degree < 1) b.d1[0] = 0;
    for (int j = 1; j <= degree; ++j) {
        if (j == degree - 1) std::copy_n(b.n.begin(), j, lower.begin());
        if (j == degree) std::copy_n(b.n.begin(), j, low.begin());
        left[ix(j)] = t - k[ix(b.span + 1 - j)];
        right[ix(j)] = k[ix(b.span + j)] - t;
        double saved = 0;
        for (int r = 0; r < j; ++r) {
            const double den = right[ix(r + 1)] + left[ix(j - r)], w = den != 0 ? b.n[ix(r)] / den : 0;
            b.n[ix(r)] = saved + right[ix(r + 1)] * w;
            saved = left[ix(j - r)] * w;
        }
        b.n[ix(j)] = saved;
    }
    if (degree >= 1 && order >= 1) raise_basis(k, b.span, degree, low, b.d1);
    if (degree >= 2 && order >= 2) raise_basis(k, b.span, degree - 1, lower, slope), raise_basis(k, b.span, degree, slope, b.d2);
}

}  // namespace halvo
