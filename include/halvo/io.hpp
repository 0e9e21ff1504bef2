#pragma once
/// Files in and out. Every writer writes beside its target and renames; a failure leaves what was there before.

#include <halvo/run.hpp>
#include <halvo/strip.hpp>

#include <filesystem>

namespace halvo {

/// Reads a STEP file (AP203, AP214, AP242). Throws Error{input} with one line that says what is wrong and what to do.
[[nodiscard]] Assembly read(const std::filesystem::path& file, const SourceOptions& options = {}, const Observer& observer = {});

/// Are these the solids, with their exact surfaces, that `read` gives of their file with these options?
[[nodiscard]] bool holds_exactly(const Assembly& solids, const SourceOptions& options);

/// SHA-256 of what a file holds, unpacked if it is packed: as Assembly::sha256 has it. Throws Error{input} when it cannot be read.
[[nodiscard]] std::string file_sha256(const std::filesystem::path& file);

/// The program that opens CAD files, where it is not found by itself: `read` looks at HALVO_READER in the environment, at this one, beside
/// the running program, and where Halvo was installed.
void use_reader(const std::filesystem::path& program);

/// Reads a plan file. Unknown keys, wrong types and wrong units are errors with file and line.
[[nodiscard]] Plan read_plan(const std::filesystem::path& file);
/// The same of a text that `file` holds or held.
[[nodiscard]] Plan parse_plan(const std::string& text, const std::filesystem::path& file);
/// Overrides one key, "join.reach=2mm"; the same checks as in a file.
void set_plan_value(Plan& plan, const std::string& assignment);

/// VTK XML UnstructuredGrid, fields as in DESIGN section 5.
void write_vtu(const std::filesystem::path& file, const Mesh& mesh, const Vec3& shift);
/// The mesh with displacement, rotation, reactions and stress of every case, and the modes; arrays are named by what they are and their case.
void write_solution_vtu(const std::filesystem::path& file, const Mesh& mesh, const Solution& solution, const Vec3& shift);
/// summary.json as text.
[[nodiscard]] std::string summary_json(const Job& job);
[[nodiscard]] std::string survey_json(const Assembly& solids, const Survey& survey, const std::vector<Feature>& features = {});
/// ledger.csv as text.
[[nodiscard]] std::string ledger_csv(const Job& job);

/// Model file (SQLite, application id "HLVO"). A newer schema is refused.
void write_model(const std::filesystem::path& file, const Job& job);
[[nodiscard]] Job read_model(const std::filesystem::path& file);

/// Writes model.halvo, mesh.vtu, results.vtu, summary.json and ledger.csv: all of them or none. Files of stages not reached are left out.
void write_results(const std::filesystem::path& folder, const Job& job);

/// Text to a file by way of a temporary name.
void write_text(const std::filesystem::path& file, const std::string& text);

#ifdef HALVO_READER_PATH  // given by the installed package to programs that link it
namespace detail {
inline const bool reader_is_named = (use_reader(HALVO_READER_PATH), true);
}
#endif

}  // namespace halvo
