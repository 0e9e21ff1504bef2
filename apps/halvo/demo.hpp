#pragma once
#include "work.hpp"

/// halvo demo: the whole job on the shipped demo data, files and figures in `out`.
int show_demo(const std::string& out, const Common& common);
