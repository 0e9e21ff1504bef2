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
/// Moulded, walls and a rib of 3 mm, four bolt holes: the data logger's tray before its details.
[[nodiscard]] Solid plain_logger_tray();
/// Is the middle of an edge on one between the tray's floor, walls and rib inside?
[[nodiscard]] bool logger_tray_root(const Vec3& middle);
/// The same with rounds of 2 mm along the roots, twelve pin holes of 2 mm and two emblems raised by 0.6 mm.
[[nodiscard]] Solid logger_tray();
/// The plain tray as it may arrive from another system: loose faces whose borders end 0.02 mm early, the outside of one wall missing.
[[nodiscard]] Solid loose_logger_tray();
/// The instrument shelf and things around it, with a defect of every kind.
[[nodiscard]] std::vector<Item> spoilt_shelf();

}  // namespace make
