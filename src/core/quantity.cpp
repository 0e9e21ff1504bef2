#include "core/quantity.hpp"

#include <udunits2.h>

#include <fmt/format.h>

#include <cmath>
#include <cstdlib>
#include <memory>
#include <mutex>
#include <stdexcept>

namespace halvo {
namespace {

ut_system* units() {
    static ut_system* system = [] {
        ut_set_error_message_handler(ut_ignore);
        return ut_read_xml(nullptr);
    }();
    if (!system) throw std::invalid_argument("the unit database of UDUNITS-2 is missing; install libudunits2-data");
    return system;
}

}  // namespace

double quantity(const std::string& text, const std::string& unit) {
    // The unit library is not safe across threads.
    static std::mutex guard;
    const std::lock_guard lock(guard);
    char* end = nullptr;
    const double value = std::strtod(text.c_str(), &end);
    if (end == text.c_str() || !std::isfinite(value)) throw std::invalid_argument(fmt::format("\"{}\" is no number with a unit", text));
    std::string name(end);
    name.erase(0, name.find_first_not_of(' '));
    if (name.empty() || name == unit) return value;
    using Unit = std::unique_ptr<ut_unit, void (*)(ut_unit*)>;
    const Unit from(ut_parse(units(), name.c_str(), UT_UTF8), ut_free), to(ut_parse(units(), unit.c_str(), UT_UTF8), ut_free);
    if (!from) throw std::invalid_argument(fmt::format("\"{}\" is no unit", name));
    if (!to || !ut_are_convertible(from.get(), to.get())) throw std::invalid_argument(fmt::format("\"{}\" cannot be given in {}", name, unit));
    const std::unique_ptr<cv_converter, void (*)(cv_converter*)> convert(ut_get_converter(from.get(), to.get()), cv_free);
    return cv_convert_double(convert.get(), value);
}

}  // namespace halvo
