#pragma once
#include <halvo/assembly.hpp>

#include <filesystem>

namespace halvo::io {

/// STEP to Assembly by the CAD kernel's reader. The caller has checked that the file is there and looks like STEP.
[[nodiscard]] Assembly read_step(const std::filesystem::path& file, const Observer& observer);

}  // namespace halvo::io
