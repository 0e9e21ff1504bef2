#pragma once
#include <halvo/assembly.hpp>
#include <halvo/options.hpp>

namespace halvo::io {

/// Keeps the bodies that `options.body` names (1-based index or name); all when it names none. A name that fits nothing is an error.
void select_bodies(Assembly& assembly, const SourceOptions& options);

}  // namespace halvo::io
