#pragma once
#include <filesystem>
#include <string>

namespace halvo::io {

/// Removes folders of the name "PREFIX<process id>..." in a folder whose processes are no more: what a killed run left.
void clear_left_behind(const std::filesystem::path& in, const std::string& prefix);

}  // namespace halvo::io
