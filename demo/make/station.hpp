#pragma once
#include "shapes.hpp"

namespace make {

/// The mountain weather station, all made up.
[[nodiscard]] std::vector<Item> weather_station();

/// Instrument shelf: a base, four upstands, two crossing ribs lower than the upstands; three thicknesses, one solid.
/// Base `length` x `width`; upstands `height` high, ribs `rib_height`, all measured from the base's underside.
struct ShelfSize {
    double length = 420, width = 300, height = 90, rib_height = 60, base = 4, upstand = 3, rib = 2;
};
[[nodiscard]] Solid instrument_shelf(const ShelfSize& size = {});

}  // namespace make
