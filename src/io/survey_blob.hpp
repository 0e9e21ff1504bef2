#pragma once
#include "io/blob.hpp"

#include <halvo/survey.hpp>

namespace halvo::io {

inline void put_text(BlobOut& out, const std::string& text) {
    out.put(std::vector<char>(text.begin(), text.end()));
}

inline std::string get_text(BlobIn& in) {
    const auto chars = in.get<std::vector<char>>();
    return {chars.begin(), chars.end()};
}

/// What the survey measured of a body.
inline std::string pack_survey(const BodySurvey& s) {
    BlobOut out;
    out.put(static_cast<std::uint8_t>(s.kind));
    put_text(out, s.why);
    out.put(s.thinnest).put(s.thickest).put(s.thinnest_at).put(s.thickest_at);
    out.put(static_cast<std::uint64_t>(s.bands.size()));
    for (const ThicknessBand& b : s.bands) out.put(b.from).put(b.to).put(b.mean).put(b.share);
    out.put(s.wall_area).put(s.rim_area).put(s.rest_area).put(s.thin_share);
    out.put(static_cast<std::uint64_t>(s.bulk.size()));
    for (const BulkRegion& r : s.bulk) out.put(r.area).put(r.place).put(r.size).put(r.across).put(r.face.value);
    out.put(s.length).put(s.depth);
    put_text(out, s.profile);
    out.put(static_cast<std::uint64_t>(s.dimensions.size()));
    for (const auto& [name, value] : s.dimensions) put_text(out, name), out.put(value);
    out.put(s.solid_nodes).put(s.model_nodes);
    return out.bytes();
}

inline BodySurvey unpack_survey(std::string bytes) {
    BlobIn in(std::move(bytes));
    BodySurvey s;
    s.kind = static_cast<BodyClass>(in.get<std::uint8_t>());
    s.why = get_text(in);
    s.thinnest = in.get<double>(), s.thickest = in.get<double>(), s.thinnest_at = in.get<Vec3>(), s.thickest_at = in.get<Vec3>();
    const auto count = [&] { return in.get<std::uint64_t>(); };
    for (auto n = count(); n > 0; --n) {
        ThicknessBand b;
        b.from = in.get<double>(), b.to = in.get<double>(), b.mean = in.get<double>(), b.share = in.get<double>();
        s.bands.push_back(b);
    }
    s.wall_area = in.get<double>(), s.rim_area = in.get<double>(), s.rest_area = in.get<double>(), s.thin_share = in.get<double>();
    for (auto n = count(); n > 0; --n) {
        BulkRegion r;
        r.area = in.get<double>(), r.place = in.get<Vec3>(), r.size = in.get<Vec3>(), r.across = in.get<double>(), r.face = FaceId(in.get<int>());
        s.bulk.push_back(r);
    }
    s.length = in.get<double>(), s.depth = in.get<double>(), s.profile = get_text(in);
    for (auto n = count(); n > 0; --n) {
        std::string name = get_text(in);
        s.dimensions.emplace_back(std::move(name), in.get<double>());
    }
    s.solid_nodes = in.get<double>(), s.model_nodes = in.get<double>();
    return s;
}

}  // namespace halvo::io
