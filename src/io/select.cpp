#include "io/select.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace halvo::io {

void select_bodies(Assembly& assembly, const SourceOptions& options) {
    if (options.body.empty()) return;
    std::vector<bool> take(assembly.bodies.size(), false);
    for (const std::string& want : options.body) {
        bool found = false;
        const bool number = !want.empty() && std::all_of(want.begin(), want.end(), [](char c) { return c >= '0' && c <= '9'; });
        for (std::size_t i = 0; i < assembly.bodies.size(); ++i) {
            const bool fits = number ? std::to_string(i + 1) == want : assembly.bodies[i].name == want || assembly.bodies[i].path == want;
            if (fits) take[i] = found = true;
        }
        if (!found)
            throw Error(ErrorKind::input,
                        fmt::format("source.body = \"{}\": no such body; halvo survey lists the {} bodies of {}", want, assembly.bodies.size(), assembly.file));
    }
    std::vector<Body> kept;
    for (std::size_t i = 0; i < take.size(); ++i)
        if (take[i]) kept.push_back(std::move(assembly.bodies[i]));
    assembly.bodies = std::move(kept);
    finish_assembly(assembly);
}

}  // namespace halvo::io
