#pragma once
/// Surfaces and charts in bytes.

#include "io/curve_blob.hpp"

#include <halvo/chart.hpp>

namespace halvo::io {

struct PutSurface {
    BlobOut& out;
    void operator()(const PlaneSurface& s) const { put_frame(out, s.frame); }
    void operator()(const CylinderSurface& s) const { put_frame(out, s.frame), out.put(s.radius); }
    void operator()(const ConeSurface& s) const { put_frame(out, s.frame), out.put(s.radius).put(s.half_angle); }
    void operator()(const SphereSurface& s) const { put_frame(out, s.frame), out.put(s.radius); }
    void operator()(const TorusSurface& s) const { put_frame(out, s.frame), out.put(s.major).put(s.minor); }
    void operator()(const FreeSurface& s) const {
        out.put(static_cast<std::uint8_t>(s.spline != nullptr));
        if (s.spline) {
            const NurbsSurface& n = *s.spline;
            out.put(n.degree_u).put(n.degree_v).put(n.knots_u).put(n.knots_v).put(n.poles).put(n.weights);
        }
    }
};

inline Surface get_surface(BlobIn& in) {
    const auto kind = in.get<std::uint8_t>();
    if (kind == 5) {
        if (in.get<std::uint8_t>() == 0) return FreeSurface{};
        NurbsSurface n;
        n.degree_u = in.get<int>(), n.degree_v = in.get<int>();
        n.knots_u = in.get<std::vector<double>>(), n.knots_v = in.get<std::vector<double>>();
        n.poles = in.get<std::vector<Vec3>>(), n.weights = in.get<std::vector<double>>();
        return FreeSurface{std::make_shared<const NurbsSurface>(std::move(n))};
    }
    const Frame f = get_frame(in);
    if (kind == 0) return PlaneSurface{f};
    const double a = in.get<double>();
    if (kind == 1) return CylinderSurface{f, a};
    if (kind == 3) return SphereSurface{f, a};
    const double b = in.get<double>();
    if (kind == 2) return ConeSurface{f, a, b};
    return TorusSurface{f, a, b};
}

inline void put_surface(BlobOut& out, const Surface& s) {
    out.put(static_cast<std::uint8_t>(s.index()));
    std::visit(PutSurface{out}, s);
}

inline void put_chart(BlobOut& out, const Chart& c) {
    out.put(static_cast<std::uint8_t>(c.flat()));
    put_frame(out, c.plane());
    if (c.flat()) return;
    put_surface(out, c.surface());
    out.put(static_cast<std::uint8_t>(c.reversed()));
}

inline Chart get_chart(BlobIn& in) {
    const bool flat = in.get<std::uint8_t>() != 0;
    const Frame plane = get_frame(in);
    if (flat) return Chart(plane);
    const Surface s = get_surface(in);
    return Chart(s, plane.origin, in.get<std::uint8_t>() != 0);
}

}  // namespace halvo::io
