#pragma once
/// More parts of the weather station, each of a kind that an analyst is handed. Millimetres.

#include "spoilt.hpp"

namespace make {

/// Folded sheet 1.5 mm: a body with lips and two trays inside it.
[[nodiscard]] std::vector<Item> cabinet();
/// Moulded: drafted walls, drafted ribs crossing under the top.
[[nodiscard]] Solid rain_hood();
/// A tube 33.7 x 2.6 with a bend, on an end plate.
[[nodiscard]] std::vector<Item> bent_sensor_arm();
/// Concrete with four blind holes.
[[nodiscard]] Solid anchor_block();
/// Bent from 3 mm sheet, four holes.
[[nodiscard]] Solid bracket();
/// The instrument shelf and things around it, with a defect of every kind.
[[nodiscard]] std::vector<Item> spoilt_shelf();

}  // namespace make
