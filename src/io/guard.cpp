#include "io/guard.hpp"

#include <OSD.hxx>

#include <cfenv>

namespace halvo::io {

KernelGuard::KernelGuard() {
    for (std::size_t i = 0; i < signals_.size(); ++i) sigaction(signals_[i], nullptr, &before_[i]);
    OSD::SetSignal(OSD_SignalMode_Set, false);
    for (std::size_t i = 0; i < signals_.size(); ++i)
        if (signals_[i] == SIGINT || signals_[i] == SIGTERM || signals_[i] == SIGHUP) sigaction(signals_[i], &before_[i], nullptr);
}

KernelGuard::~KernelGuard() {
    for (std::size_t i = 0; i < signals_.size(); ++i) sigaction(signals_[i], &before_[i], nullptr);
    std::fesetenv(FE_DFL_ENV);
}

}  // namespace halvo::io
