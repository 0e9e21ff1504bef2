#include "progress.hpp"

#include <fmt/format.h>

#include <unistd.h>
#include <chrono>
#include <csignal>
#include <cstdio>

namespace {

volatile std::sig_atomic_t stop_asked = 0;
bool line_open = false;

volatile std::sig_atomic_t asked_for = 0;  // does a stage ask whether it should stop?

extern "C" void on_stop(int) {
    stop_asked = 1;
    if (asked_for != 0) return;
    // Nothing asks yet, and nothing is written yet: it ends here, as it would there.
    constexpr char line[] = "halvo: stopped on request; nothing was written\n";
    [[maybe_unused]] const auto written = ::write(STDERR_FILENO, line, sizeof line - 1);
    ::_exit(130);
}

}  // namespace

void catch_signals() {
    struct sigaction action {};
    action.sa_handler = on_stop;
    action.sa_flags = SA_RESETHAND;  // asked a second time, stop at once
    sigaction(SIGINT, &action, nullptr);
    sigaction(SIGTERM, &action, nullptr);
}

halvo::Observer terminal_observer(bool quiet) {
    asked_for = 1;
    halvo::Observer o;
    o.cancelled = [] { return stop_asked != 0; };
    if (quiet || !isatty(STDERR_FILENO)) return o;
    const auto start = std::chrono::steady_clock::now();
    o.report = [start](const char* stage, double share) {
        const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        fmt::print(stderr, "\r\033[K{:<8} {:3.0f} %  {:.1f} s", stage, 100 * share, seconds);
        std::fflush(stderr);
        line_open = true;
    };
    return o;
}

void hold_signals() {
    std::signal(SIGINT, SIG_IGN);
    std::signal(SIGTERM, SIG_IGN);
}

void end_progress() {
    if (line_open) fmt::print(stderr, "\r\033[K");
    line_open = false;
}
