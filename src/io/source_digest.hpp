#pragma once
#include <halvo/options.hpp>

#include <fmt/format.h>

namespace halvo::io {

/// Everything that decides which bodies a file gives, and where: two runs with the same text read the same solids.
inline std::string source_digest(const SourceOptions& o) {
    std::string out = fmt::format("{}|{}|{}|{}", o.unit, fmt::join(o.body, ";"), fmt::join(o.only, ";"), fmt::join(o.skip, ";"));
    const auto vec = [](const Vec3& v) { return fmt::format("{:.17g},{:.17g},{:.17g}", v.x(), v.y(), v.z()); };
    for (const PlaceRule& r : o.places)
        out += fmt::format("|{}:{}:{:.17g}:{}:{}:{}", fmt::join(r.body, ";"), vec(r.move), r.turn, vec(r.axis[0]), vec(r.axis[1]), r.copies);
    return out;
}

}  // namespace halvo::io
