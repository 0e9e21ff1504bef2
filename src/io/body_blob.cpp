#include "io/body_blob.hpp"

#include "io/surface_blob.hpp"

namespace halvo::io {
std::string pack(const Body& body) {
    BlobOut out;
    out.put(body.vertices);
    out.put(static_cast<std::uint64_t>(body.edges.size()));
    for (const BodyEdge& e : body.edges) {
        out.put(e.vertices[0]).put(e.vertices[1]).put(static_cast<std::uint8_t>(e.degenerate));
        put_curve(out, e.curve);
    }
    out.put(static_cast<std::uint64_t>(body.faces.size()));
    for (const Face& f : body.faces) {
        put_surface(out, f.surface);
        out.put(static_cast<std::uint8_t>(f.reversed)).put(static_cast<std::uint64_t>(f.first_facet)).put(static_cast<std::uint64_t>(f.facet_count));
        out.put(static_cast<std::uint64_t>(f.loops.size()));
        for (const auto& loop : f.loops) {
            out.put(static_cast<std::uint64_t>(loop.size()));
            for (const Coedge& c : loop) out.put(c.edge.value).put(static_cast<std::uint8_t>(c.reversed)).put(c.uv_start).put(c.uv_end).put(c.path);
        }
    }
    out.put(body.points).put(body.parameters);
    out.put(static_cast<std::uint64_t>(body.facets.size()));
    for (const Facet& f : body.facets) out.put(f.corners[0]).put(f.corners[1]).put(f.corners[2]).put(f.face);
    out.put(static_cast<std::uint8_t>(body.closed));
    return out.bytes();
}

namespace {

Body body_from(BlobIn& in) {
    Body body;
    body.vertices = in.get<std::vector<Vec3>>();
    const auto count = [&] { return static_cast<std::size_t>(in.get<std::uint64_t>()); };
    body.edges.resize(count());
    for (BodyEdge& e : body.edges) {
        e.vertices[0] = in.get<int>(), e.vertices[1] = in.get<int>();
        e.degenerate = in.get<std::uint8_t>() != 0;
        e.curve = get_curve(in);
    }
    body.faces.resize(count());
    for (Face& f : body.faces) {
        f.surface = get_surface(in);
        f.reversed = in.get<std::uint8_t>() != 0;
        f.first_facet = count(), f.facet_count = count();
        f.loops.resize(count());
        for (auto& loop : f.loops) {
            loop.resize(count());
            for (Coedge& c : loop) {
                c.edge = BodyEdgeId(in.get<std::int32_t>());
                c.reversed = in.get<std::uint8_t>() != 0;
                c.uv_start = in.get<Vec2>(), c.uv_end = in.get<Vec2>();
                c.path = in.get<std::vector<Vec2>>();
            }
        }
    }
    body.points = in.get<std::vector<Vec3>>(), body.parameters = in.get<std::vector<Vec2>>();
    body.facets.resize(count());
    for (Facet& f : body.facets) {
        for (int& c : f.corners) c = in.get<int>();
        f.face = in.get<int>();
    }
    body.closed = in.get<std::uint8_t>() != 0;
    return body;
}

}  // namespace

Body unpack_body(std::string bytes) {
    BlobIn in(std::move(bytes));
    return body_from(in);
}

std::string pack_finished(const Body& body) {
    BlobOut out;
    for (const Face& f : body.faces) out.put(f.area).put(f.fit_error);
    for (const double c : body.colour) out.put(c);
    out.put(static_cast<std::uint8_t>(body.faceted)).put(body.turned).put(body.part);
    for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 4; ++j) out.put(body.place(i, j));
    out.put(body.mass.volume).put(body.mass.area).put(body.mass.centre).put(body.box.min().eval()).put(body.box.max().eval());
    return pack(body) + out.bytes();
}

Body unpack_finished(std::string bytes) {
    BlobIn in(std::move(bytes));
    Body body = body_from(in);
    for (Face& f : body.faces) f.area = in.get<double>(), f.fit_error = in.get<double>();
    for (double& c : body.colour) c = in.get<double>();
    body.faceted = in.get<std::uint8_t>() != 0, body.turned = in.get<int>(), body.part = in.get<int>();
    for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 4; ++j) body.place(i, j) = in.get<double>();
    body.mass.volume = in.get<double>(), body.mass.area = in.get<double>(), body.mass.centre = in.get<Vec3>();
    body.box.min() = in.get<Vec3>(), body.box.max() = in.get<Vec3>();
    index_facets(body);
    return body;
}

}  // namespace halvo::io
