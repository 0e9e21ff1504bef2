#include "io/place.hpp"

#include "body/named.hpp"

#include <fmt/format.h>

namespace halvo::io {
namespace {

constexpr std::size_t most_bodies = 1000000;

Eigen::Isometry3d motion_of(const PlaceRule& r, const Vec3& shift) {
    const Vec3 on = r.axis[0] - shift, along = (r.axis[1] - r.axis[0]).normalized();
    return Eigen::Isometry3d(Eigen::Translation3d(r.move + on) * Eigen::AngleAxisd(r.turn, along) * Eigen::Translation3d(-on));
}

}  // namespace

void place_bodies(Assembly& assembly, const std::vector<PlaceRule>& rules) {
    for (std::size_t i = 0; i < rules.size(); ++i) {
        const PlaceRule& r = rules[i];
        const Eigen::Isometry3d step = motion_of(r, assembly.shift);
        bool any = false;
        std::vector<Body> copies;
        for (Body& b : assembly.bodies) {
            if (!is_named(b, r.body)) continue;
            any = true;
            if (r.copies == 0) {
                b = moved(b, step);
                name_body(b);
                continue;
            }
            if (assembly.bodies.size() + copies.size() + static_cast<std::size_t>(r.copies) > most_bodies)
                throw Error(ErrorKind::input, fmt::format("[[place]] entry {}: {} copies make more than {} bodies", i + 1, r.copies, most_bodies));
            Eigen::Isometry3d here = step;
            for (int k = 1; k <= r.copies; ++k, here = step * here) {
                copies.push_back(moved(b, here));
                copies.back().name += fmt::format(" copy {}", k);
                copies.back().path += fmt::format(" copy {}", k);
                name_body(copies.back());
            }
        }
        if (!any) throw Error(ErrorKind::input, fmt::format("[[place]] entry {}: no body \"{}\"; halvo survey lists them", i + 1, fmt::join(r.body, "\", \"")));
        int number = static_cast<int>(assembly.bodies.size());
        for (Body& b : copies) {
            b.number = ++number;
            assembly.bodies.push_back(std::move(b));
        }
    }
    if (!rules.empty()) finish_assembly(assembly);
}

}  // namespace halvo::io
