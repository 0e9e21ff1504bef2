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

Body unpack_body(std::string bytes) {
    BlobIn in(std::move(bytes));
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

}  // namespace halvo::io
