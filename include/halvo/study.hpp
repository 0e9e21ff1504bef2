#pragma once
#include <halvo/io.hpp>

#include <optional>

namespace halvo {

/// One plan key over a range of values, as given on the command line: "mesh.size=20mm,10mm,5mm", "thickness[1].thickness=2mm..6mm/5" (five values,
/// evenly spaced).
struct Variation {
    std::string key;
    std::vector<std::string> values;  ///< as the plan takes them
};
[[nodiscard]] Variation variation_of(const std::string& text);

/// One figure of every run: a probe's, a case's or a mode's.
struct StudyFigure {
    std::string name, unit;
    std::vector<double> values;  ///< one a run; NaN where a run does not have it
    /// Of mesh.size alone, three values or more: what the last three tend to, and with which power of the size (Richardson, 1911). Empty where they do
    /// not tend to anything.
    std::optional<double> limit, order;
};

struct Study {
    std::vector<Variation> varied;
    std::vector<std::vector<std::string>> runs;  ///< the values of each run, one a key
    std::vector<StudyFigure> figures;
    std::vector<std::string> failures;  ///< one a run; empty where it succeeded
    std::vector<double> seconds;        ///< of each run
};

/// Runs the plan over all combinations of the values, each from the first stage that they touch. Throws Error{usage} for a key that the plan does not
/// have, before anything is run.
[[nodiscard]] Study study(const Plan& plan, const std::vector<Variation>& varied, const Observer& observer = {});

/// One row a run.
[[nodiscard]] std::string study_csv(const Study& study);
/// What `study_csv` wrote. Throws Error{input} for a file that is no such table.
[[nodiscard]] Study read_study(const std::filesystem::path& file);

}  // namespace halvo
