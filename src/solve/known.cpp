// Closed forms beside results. Timoshenko, Strength of Materials; Timoshenko and Woinowsky-Krieger, Theory of Plates and Shells (1959); Young and Budynas,
// Roark's Formulas for Stress and Strain (2002); Blevins, Formulas for Natural Frequency and Mode Shape (1979).
#include <halvo/known.hpp>
#include <halvo/plan.hpp>

#include "solve/known_quantities.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo {
namespace {

constexpr const char* strength = "Timoshenko, Strength of Materials";
constexpr const char* plates = "Timoshenko and Woinowsky-Krieger, Theory of Plates and Shells, 1959";
constexpr const char* formulas = "Young and Budynas, Formulas for Stress and Strain, 2002";
constexpr const char* frequencies = "Blevins, Formulas for Natural Frequency and Mode Shape, 1979";

double plate_stiffness(double young, double poisson, double thickness) {
    return young * std::pow(thickness, 3) / (12 * (1 - poisson * poisson));
}

// Navier's double series for even pressure on a rectangle that rests on its four sides: q, a, b, t, E, nu.
double resting_rectangle(const double* v) {
    constexpr int terms = 199;  // odd ones up to it: the rest is below 1e-9 of the sum
    double sum = 0;
    for (int m = 1; m <= terms; m += 2)
        for (int n = 1; n <= terms; n += 2) {
            const double sign = ((m - 1) / 2 + (n - 1) / 2) % 2 == 0 ? 1 : -1;
            sum += sign / (m * n * std::pow(m * m / (v[1] * v[1]) + n * n / (v[2] * v[2]), 2));
        }
    return 16 * v[0] / (std::pow(pi, 6) * plate_stiffness(v[4], v[5], v[3])) * sum;
}

// Root of cos k cosh k = -1 (cantilever) that belongs to the mode: from its neighbour without cosh.
double cantilever_root(int mode) {
    double k = (mode - 0.5) * pi;
    for (int i = 0; i < 50; ++i) {
        const double f = std::cos(k) + 1 / std::cosh(k), slope = -std::sin(k) - std::sinh(k) / std::pow(std::cosh(k), 2);
        k -= f / slope;
    }
    return k;
}

// Of a beam with so many half waves or the root k: k, E, I, density, A, length.
double beam_frequency(double k, const double* v) {
    return k * k / (2 * pi * v[4] * v[4]) * std::sqrt(v[0] * v[1] / (v[2] * v[3]));
}

}  // namespace

const std::vector<KnownForm>& known_forms() {
    static const std::vector<KnownForm> all{
        {"cylinder hoop stress",
         "pressure radius / thickness",
         strength,
         "MPa",
         {"pressure", "radius", "thickness"},
         [](const double* v) { return v[0] * v[1] / v[2]; }},
        {"cylinder axial stress",
         "pressure radius / (2 thickness)",
         strength,
         "MPa",
         {"pressure", "radius", "thickness"},
         [](const double* v) { return v[0] * v[1] / (2 * v[2]); }},
        {"cylinder growth",
         "pressure radius^2 (1 - poisson / 2) / (young thickness), ends closed",
         strength,
         "mm",
         {"pressure", "radius", "thickness", "young", "poisson"},
         [](const double* v) { return v[0] * v[1] * v[1] * (1 - v[4] / 2) / (v[3] * v[2]); }},
        {"sphere stress",
         "pressure radius / (2 thickness)",
         strength,
         "MPa",
         {"pressure", "radius", "thickness"},
         [](const double* v) { return v[0] * v[1] / (2 * v[2]); }},
        {"thick tube inner hoop stress",
         "pressure (outer^2 + inner^2) / (outer^2 - inner^2)",
         strength,
         "MPa",
         {"pressure", "outer", "inner"},
         [](const double* v) { return v[0] * (v[1] * v[1] + v[2] * v[2]) / (v[1] * v[1] - v[2] * v[2]); }},
        {"bar stretch",
         "force length / (young area)",
         strength,
         "mm",
         {"force", "length", "young", "area"},
         [](const double* v) { return v[0] * v[1] / (v[2] * v[3]); }},
        {"bar twist",
         "moment length / (shear_modulus torsion_constant)",
         strength,
         "rad",
         {"moment", "length", "shear_modulus", "torsion_constant"},
         [](const double* v) { return v[0] * v[1] / (v[2] * v[3]); }},
        {"closed tube shear stress",
         "moment / (2 enclosed_area thickness)",
         strength,
         "MPa",
         {"moment", "enclosed_area", "thickness"},
         [](const double* v) { return v[0] / (2 * v[1] * v[2]); }},
        {"bending stress", "moment distance / inertia", strength, "MPa", {"moment", "distance", "inertia"}, [](const double* v) { return v[0] * v[1] / v[2]; }},
        {"cantilever tip under force",
         "force length^3 / (3 young inertia)",
         strength,
         "mm",
         {"force", "length", "young", "inertia"},
         [](const double* v) { return v[0] * std::pow(v[1], 3) / (3 * v[2] * v[3]); }},
        {"cantilever tip under even load",
         "force length^3 / (8 young inertia), force in all",
         strength,
         "mm",
         {"force", "length", "young", "inertia"},
         [](const double* v) { return v[0] * std::pow(v[1], 3) / (8 * v[2] * v[3]); }},
        {"resting beam middle under force",
         "force length^3 / (48 young inertia)",
         strength,
         "mm",
         {"force", "length", "young", "inertia"},
         [](const double* v) { return v[0] * std::pow(v[1], 3) / (48 * v[2] * v[3]); }},
        {"resting beam middle under even load",
         "5 force length^3 / (384 young inertia), force in all",
         strength,
         "mm",
         {"force", "length", "young", "inertia"},
         [](const double* v) { return 5 * v[0] * std::pow(v[1], 3) / (384 * v[2] * v[3]); }},
        {"clamped beam middle under force",
         "force length^3 / (192 young inertia)",
         strength,
         "mm",
         {"force", "length", "young", "inertia"},
         [](const double* v) { return v[0] * std::pow(v[1], 3) / (192 * v[2] * v[3]); }},
        {"clamped beam middle under even load",
         "force length^3 / (384 young inertia), force in all",
         strength,
         "mm",
         {"force", "length", "young", "inertia"},
         [](const double* v) { return v[0] * std::pow(v[1], 3) / (384 * v[2] * v[3]); }},
        {"resting round plate middle",
         "(5 + poisson) / (1 + poisson) pressure radius^4 / (64 D), D = young thickness^3 / (12 (1 - poisson^2))",
         plates,
         "mm",
         {"pressure", "radius", "thickness", "young", "poisson"},
         [](const double* v) { return (5 + v[4]) / (1 + v[4]) * v[0] * std::pow(v[1], 4) / (64 * plate_stiffness(v[3], v[4], v[2])); }},
        {"clamped round plate middle",
         "pressure radius^4 / (64 D), D = young thickness^3 / (12 (1 - poisson^2))",
         plates,
         "mm",
         {"pressure", "radius", "thickness", "young", "poisson"},
         [](const double* v) { return v[0] * std::pow(v[1], 4) / (64 * plate_stiffness(v[3], v[4], v[2])); }},
        {"clamped round plate edge stress",
         "3 pressure radius^2 / (4 thickness^2)",
         formulas,
         "MPa",
         {"pressure", "radius", "thickness"},
         [](const double* v) { return 0.75 * v[0] * v[1] * v[1] / (v[2] * v[2]); }},
        {"resting rectangular plate middle",
         "Navier's double series over length and width",
         plates,
         "mm",
         {"pressure", "length", "width", "thickness", "young", "poisson"},
         resting_rectangle},
        {"cantilever frequency",
         "k^2 / (2 pi length^2) sqrt(young inertia / (density area)), cos k cosh k = -1, number of the mode",
         frequencies,
         "Hz",
         {"young", "inertia", "density", "area", "length", "number"},
         [](const double* v) { return beam_frequency(cantilever_root(static_cast<int>(v[5])), v); }},
        {"resting beam frequency",
         "number^2 pi / (2 length^2) sqrt(young inertia / (density area))",
         frequencies,
         "Hz",
         {"young", "inertia", "density", "area", "length", "number"},
         [](const double* v) { return beam_frequency(v[5] * pi, v); }},
        {"resting rectangular plate frequency",
         "pi / 2 (number^2 / length^2 + across^2 / width^2) sqrt(D / (density thickness)), number and across: half waves",
         frequencies,
         "Hz",
         {"young", "poisson", "density", "thickness", "length", "width", "number", "across"},
         [](const double* v) {
             return pi / 2 * (v[6] * v[6] / (v[4] * v[4]) + v[7] * v[7] / (v[5] * v[5])) * std::sqrt(plate_stiffness(v[0], v[1], v[3]) / (v[2] * v[3]));
         }},
    };
    return all;
}

const std::vector<std::pair<std::string, const char*>>& known_quantities() {
    static const std::vector<std::pair<std::string, const char*>> all{{"pressure", "MPa"}, {"force", "N"},
                                                                      {"moment", "N mm"},  {"radius", "mm"},
                                                                      {"inner", "mm"},     {"outer", "mm"},
                                                                      {"thickness", "mm"}, {"length", "mm"},
                                                                      {"width", "mm"},     {"distance", "mm"},
                                                                      {"area", "mm2"},     {"enclosed_area", "mm2"},
                                                                      {"inertia", "mm4"},  {"torsion_constant", "mm4"},
                                                                      {"young", "MPa"},    {"shear_modulus", "MPa"},
                                                                      {"poisson", "1"},    {"density", "t/mm3"},
                                                                      {"number", "1"},     {"across", "1"}};
    return all;
}

const KnownForm* known_form(const std::string& name) {
    const auto& all = known_forms();
    const auto it = std::find_if(all.begin(), all.end(), [&](const KnownForm& f) { return f.name == name; });
    return it == all.end() ? nullptr : &*it;
}

double known_value(const KnownRule& rule) {
    const KnownForm* form = known_form(rule.form);
    if (!form) {
        std::vector<std::string> names;
        for (const KnownForm& f : known_forms()) names.push_back(f.name);
        throw Error(ErrorKind::input, fmt::format("\"{}\" is no closed form that is known; the nearest is \"{}\"; halvo list forms has all", rule.form,
                                                  nearest_name(rule.form, names)));
    }
    std::vector<double> values;
    for (const std::string& q : form->quantities) {
        const auto it = rule.values.find(q);
        if (it == rule.values.end())
            throw Error(ErrorKind::input, fmt::format("\"{}\" needs {}; it takes {}", rule.form, q, fmt::join(form->quantities, ", ")));
        if (!(it->second > 0) && q != "poisson") throw Error(ErrorKind::input, fmt::format("\"{}\": {} must be more than 0", rule.form, q));
        values.push_back(it->second);
    }
    for (const auto& [name, v] : rule.values)
        if (std::find(form->quantities.begin(), form->quantities.end(), name) == form->quantities.end())
            throw Error(ErrorKind::input, fmt::format("\"{}\" takes no {}; it takes {}", rule.form, name, fmt::join(form->quantities, ", ")));
    return form->value(values.data());
}

}  // namespace halvo
