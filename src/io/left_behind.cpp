#include "io/left_behind.hpp"

#include <sys/types.h>
#include <cerrno>
#include <charconv>
#include <csignal>

namespace halvo::io {

void clear_left_behind(const std::filesystem::path& in, const std::string& prefix) {
    std::error_code ec;
    for (const auto& entry : std::filesystem::directory_iterator(in, ec)) {
        const std::string name = entry.path().filename().string();
        if (!name.starts_with(prefix)) continue;
        pid_t pid = 0;
        const auto [end, error] = std::from_chars(name.data() + prefix.size(), name.data() + name.size(), pid);
        if (error != std::errc() || pid <= 0 || (::kill(pid, 0) == 0 || errno != ESRCH)) continue;
        std::error_code ignored;
        std::filesystem::remove_all(entry.path(), ignored);
    }
}

}  // namespace halvo::io
