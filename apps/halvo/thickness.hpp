#pragma once
#include <string>

struct ThicknessArguments {
    std::string mesh, solid, out, unit;
};
/// Gives the shell elements of a mesh the thickness and offset of the solids they lie in, and says which found none.
int give_thickness(const ThicknessArguments& a, bool json, bool quiet);
