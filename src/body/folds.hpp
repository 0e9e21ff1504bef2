// Short pieces of folded sheet.
#pragma once

#include "body/skin.hpp"

namespace halvo {

/// Folded sheet goes on round sharp corners, so that a piece between two folds is a wall however short: the slant of a jog, the web of a narrow
/// channel. Makes walls of the pairs where ray and ball agree (`agreed`) that are too narrow on their own and lie so between others.
void walls_between_folds(Skin& skin, const std::vector<bool>& agreed);

}  // namespace halvo
