#pragma once
/// Frames and curves in bytes, as the model file and the reader's process have them.

#include "io/blob.hpp"

#include <halvo/axis.hpp>

namespace halvo::io {

inline void put_frame(BlobOut& o, const Frame& f) {
    o.put(f.origin).put(f.x).put(f.y).put(f.z);
}
inline Frame get_frame(BlobIn& i) {
    Frame f;
    f.origin = i.get<Vec3>(), f.x = i.get<Vec3>(), f.y = i.get<Vec3>(), f.z = i.get<Vec3>();
    return f;
}

inline void put_curve(BlobOut& o, const Curve& c) {
    o.put(static_cast<std::int32_t>(c.shape.index())).put(c.t0).put(c.t1);
    if (const auto* l = std::get_if<LineCurve>(&c.shape)) o.put(l->origin).put(l->direction);
    if (const auto* k = std::get_if<CircleCurve>(&c.shape)) put_frame(o, k->frame), o.put(k->radius);
    if (const auto* e = std::get_if<EllipseCurve>(&c.shape)) put_frame(o, e->frame), o.put(e->a).put(e->b);
    if (const auto* p = std::get_if<PolylineCurve>(&c.shape)) o.put(p->points).put(p->tangents);
}

inline Curve get_curve(BlobIn& i) {
    const auto kind = i.get<std::int32_t>();
    Curve c;
    c.t0 = i.get<double>(), c.t1 = i.get<double>();
    if (kind == 0) {
        LineCurve l;
        l.origin = i.get<Vec3>(), l.direction = i.get<Vec3>();
        c.shape = l;
    } else if (kind == 1) {
        CircleCurve k;
        k.frame = get_frame(i), k.radius = i.get<double>();
        c.shape = k;
    } else if (kind == 2) {
        EllipseCurve e;
        e.frame = get_frame(i), e.a = i.get<double>(), e.b = i.get<double>();
        c.shape = e;
    } else {
        const double t0 = c.t0, t1 = c.t1;
        auto points = i.get<std::vector<Vec3>>();
        c = Curve::polyline(std::move(points), i.get<std::vector<Vec3>>());
        c.t0 = t0, c.t1 = t1;
    }
    return c;
}

inline void put_axis(BlobOut& o, const Axis& a) {
    put_frame(o, a.frame(0));
    o.put(static_cast<std::uint64_t>(a.pieces().size()));
    for (const Curve& c : a.pieces()) put_curve(o, c);
}

inline Axis get_axis(BlobIn& i) {
    const Frame start = get_frame(i);
    std::vector<Curve> pieces(i.get<std::uint64_t>());
    for (Curve& c : pieces) c = get_curve(i);
    return Axis(start, std::move(pieces));
}

}  // namespace halvo::io
