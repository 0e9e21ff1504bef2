#include "geom/predicates.hpp"

#include "core/index.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo {
namespace {

// The most terms that the incircle test's value can have: its differences have 2, its minors 16, its products of both 512.
constexpr int most_terms = 3 * 512;

// A number held exactly as a sum of non-overlapping doubles, smallest first. Nothing is allocated: points on one circle, of which drilled
// plates are full, all come here.
class Exact {
public:
    Exact() = default;
    Exact(const Exact& o) : count_(o.count_) { std::copy_n(o.terms_.begin(), count_, terms_.begin()); }
    Exact& operator=(const Exact&) = delete;
    ~Exact() = default;
    static Exact difference(double a, double b) {
        const double x = a - b, bv = a - x, av = x + bv, rest = (a - av) + (bv - b);
        Exact r;
        if (rest != 0) r.push(rest);
        if (x != 0) r.push(x);
        return r;
    }
    [[nodiscard]] Exact operator+(const Exact& o) const {
        Exact r = *this;
        for (int i = 0; i < o.count_; ++i) r.grow(o.terms_[ix(i)]);
        return r;
    }
    [[nodiscard]] Exact operator-(const Exact& o) const {
        Exact r = *this;
        for (int i = 0; i < o.count_; ++i) r.grow(-o.terms_[ix(i)]);
        return r;
    }
    [[nodiscard]] Exact operator*(const Exact& o) const {
        Exact r;
        for (int i = 0; i < o.count_; ++i)
            for (int k = 0; k < count_; ++k) {
                const double s = terms_[ix(k)], t = o.terms_[ix(i)], p = s * t;
                r.grow(std::fma(s, t, -p));
                r.grow(p);
            }
        return r;
    }
    [[nodiscard]] double sign_value() const { return count_ == 0 ? 0 : terms_[ix(count_ - 1)]; }

private:
    void push(double v) { terms_[ix(count_++)] = v; }
    void grow(double b) {
        double q = b;
        int kept = 0;
        for (int k = 0; k < count_; ++k) {
            const double e = terms_[ix(k)], x = q + e, bv = x - q, av = x - bv;
            const double err = (q - av) + (e - bv);
            q = x;
            if (err != 0) terms_[ix(kept++)] = err;
        }
        count_ = kept;
        if (q != 0) push(q);
    }
    int count_ = 0;
    std::array<double, most_terms> terms_;
};

constexpr double epsilon = 1.1102230246251565e-16;              // half an ulp of 1 (Shewchuk 1997)
constexpr double orient_bound = (3 + 16 * epsilon) * epsilon;   // of the orientation test, by the same
constexpr double circle_bound = (10 + 96 * epsilon) * epsilon;  // of the incircle test, by the same

}  // namespace

double orient(const Vec2& a, const Vec2& b, const Vec2& c) {
    const double l = (a.x() - c.x()) * (b.y() - c.y()), r = (a.y() - c.y()) * (b.x() - c.x());
    const double det = l - r;
    if (std::abs(det) > orient_bound * (std::abs(l) + std::abs(r))) return det;
    const Exact acx = Exact::difference(a.x(), c.x()), bcy = Exact::difference(b.y(), c.y());
    const Exact acy = Exact::difference(a.y(), c.y()), bcx = Exact::difference(b.x(), c.x());
    return (acx * bcy - acy * bcx).sign_value();
}

double in_circle(const Vec2& a, const Vec2& b, const Vec2& c, const Vec2& d) {
    const double adx = a.x() - d.x(), ady = a.y() - d.y(), bdx = b.x() - d.x(), bdy = b.y() - d.y();
    const double cdx = c.x() - d.x(), cdy = c.y() - d.y();
    const double bc = bdx * cdy - cdx * bdy, ca = cdx * ady - adx * cdy, ab = adx * bdy - bdx * ady;
    const double al = adx * adx + ady * ady, bl = bdx * bdx + bdy * bdy, cl = cdx * cdx + cdy * cdy;
    const double det = al * bc + bl * ca + cl * ab;
    const double permanent =
        al * (std::abs(bdx * cdy) + std::abs(cdx * bdy)) + bl * (std::abs(cdx * ady) + std::abs(adx * cdy)) + cl * (std::abs(adx * bdy) + std::abs(bdx * ady));
    if (std::abs(det) > circle_bound * permanent) return det;
    const Exact ax = Exact::difference(a.x(), d.x()), ay = Exact::difference(a.y(), d.y());
    const Exact bx = Exact::difference(b.x(), d.x()), by = Exact::difference(b.y(), d.y());
    const Exact cx = Exact::difference(c.x(), d.x()), cy = Exact::difference(c.y(), d.y());
    const Exact sum = (ax * ax + ay * ay) * (bx * cy - cx * by) + (bx * bx + by * by) * (cx * ay - ax * cy) + (cx * cx + cy * cy) * (ax * by - bx * ay);
    return sum.sign_value();
}

}  // namespace halvo
