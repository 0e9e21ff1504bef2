#pragma once
#include <array>
#include <csignal>

namespace halvo::io {

/// While it lives, a crash inside the CAD kernel (it follows null references in damaged files) arrives as the kernel's own
/// exception instead of ending the process. Interrupts stay with whoever handled them before; all handlers are put back.
class KernelGuard {
public:
    KernelGuard();
    ~KernelGuard();
    KernelGuard(const KernelGuard&) = delete;
    KernelGuard& operator=(const KernelGuard&) = delete;

private:
    static constexpr std::array<int, 8> signals_ = {SIGSEGV, SIGBUS, SIGFPE, SIGILL, SIGSYS, SIGINT, SIGTERM, SIGHUP};
    std::array<struct sigaction, signals_.size()> before_{};
};

}  // namespace halvo::io
