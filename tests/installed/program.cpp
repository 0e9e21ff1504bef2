#include <halvo/halvo.hpp>

#include <cstdio>

int main(int, char** argv) {
    const auto solids = halvo::read(argv[1]);
    const auto model = halvo::halve(solids);
    std::printf("%zu sheets\n", model.sheets.size());
}
