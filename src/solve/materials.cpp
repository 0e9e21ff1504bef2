// Common materials by what they are, with stated values at room temperature: means of what handbooks and standards give for design (EN 1993-1-1,
// EN 1993-1-4, EN 1999-1-1, EN 1992-1-1, EN 338); a part's own certificate goes before.
#include <halvo/loads.hpp>

#include <algorithm>

namespace halvo {
namespace {

Material made(const char* name, double young, double poisson, double density, double expansion, double yield) {
    Material m;
    m.name = name, m.young = young, m.poisson = poisson, m.density = density, m.expansion = expansion, m.yield = yield;
    return m;
}

}  // namespace

const std::vector<Material>& common_materials() {
    static const std::vector<Material> all = {
        made("steel", 210000, 0.3, 7.85e-9, 1.2e-5, 235),           // EN 1993-1-1, S235
        made("stainless steel", 200000, 0.3, 7.9e-9, 1.6e-5, 210),  // EN 1993-1-4, 1.4301
        made("aluminium", 70000, 0.3, 2.7e-9, 2.3e-5, 110),         // EN 1999-1-1, EN AW-6060 T6 and the like
        made("copper", 120000, 0.34, 8.94e-9, 1.7e-5, 70),
        made("titanium", 110000, 0.34, 4.51e-9, 8.6e-6, 275),
        made("cast iron", 110000, 0.26, 7.2e-9, 1.1e-5, 165),
        made("concrete", 33000, 0.2, 2.5e-9, 1e-5, 30),  // EN 1992-1-1, C30/37, in compression
        made("timber", 11000, 0.35, 4.2e-10, 5e-6, 24),  // EN 338, C24 along the grain; taken as isotropic
        made("plastic", 2300, 0.38, 1.05e-9, 9e-5, 40),  // unfilled ABS and the like
        made("glass", 70000, 0.23, 2.5e-9, 9e-6, 45),    // float glass
    };
    return all;
}

std::optional<Material> common_material(const std::string& name) {
    const auto& all = common_materials();
    const auto it = std::find_if(all.begin(), all.end(), [&](const Material& m) { return m.name == name; });
    if (it == all.end()) return std::nullopt;
    return *it;
}

}  // namespace halvo
