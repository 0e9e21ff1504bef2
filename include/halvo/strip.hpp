#pragma once
/// What does not carry is found, and taken away where the plan says so: small holes, rounds, chamfers, raised and sunk places.

#include <halvo/cut.hpp>
#include <halvo/ledger.hpp>
#include <halvo/options.hpp>
#include <halvo/survey.hpp>

namespace halvo {

enum class FeatureKind : std::uint8_t { hole, round, chamfer, raised, sunk, sliver };
[[nodiscard]] const char* feature_name(FeatureKind kind);

/// A detail of a body: faces that could go, the ones beside them carried on until they meet.
struct Feature {
    std::string key;  ///< stable id
    FeatureKind kind{};
    EntryState state = EntryState::proposed;
    bool offered = false;    ///< small enough to be proposed where the plan gives no limit
    BodyId body;             ///< of the assembly as it came
    std::vector<int> faces;  ///< of that body
    int host = -1;           ///< face it lies in, of holes and what is raised or sunk
    std::string form;        ///< "round through", "concave", "lettering", ...
    double size = 0;         ///< diameter of round holes (of the bore), largest extent of others; radius; leg of chamfers; height or depth; width (mm)
    double volume = 0;       ///< by which the body's volume grows when it goes (mm3)
    Vec3 place = Vec3::Zero();
    Vec3 axis = Vec3::Zero();  ///< of round holes
    int family = 0;            ///< those of the same kind, form and size have the same number, from 1
    int alike = 1;             ///< how many they are, over all bodies
    std::string pattern;       ///< how they stand: "6 on a circle of 80 mm", "12 in a row", "4 x 5 on a grid"
    std::string bolt;          ///< why it looks like a bolt hole; empty where it does not
    std::string why;           ///< of what was decided: the key, the rule, or why it cannot go
};

/// What was found and decided.
struct StripRecord {
    std::vector<Feature> features;  ///< by body
    std::vector<LedgerEntry> ledger;
    std::vector<Finding> findings;
};

/// What became of an assembly.
struct Stripped : StripRecord {
    Assembly solids;
    bool changed = false;  ///< is anything in `solids` unlike what came in?
    bool cut = false;      ///< are there other bodies now, so that the survey's no longer stand beside them?
};

/// Features of one body, with what would come of each; those that the plan neither limits nor names are looked for up to what the survey calls
/// small, `wall` is the thickness that this is measured by (mm; 0: nothing is small).
[[nodiscard]] std::vector<Feature> find_features(const Body& body, const StripOptions& options, double wall, double tol);

/// Finds the features of all bodies, takes away what the plan orders, proposes the rest. Bodies of facets stay as they are.
/// Any order of removals gives the same solid; what cannot go stays whole and is named.
[[nodiscard]] Stripped strip(const Assembly& solids, const Survey& survey, const StripOptions& options = {}, const Observer& observer = {});

}  // namespace halvo
