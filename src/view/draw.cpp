#include <halvo/draw.hpp>
