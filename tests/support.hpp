#pragma once
/// What the tests share: parts on the fly, runs of the stages and of the command, checks that every mesh must pass.

#include "shapes.hpp"
#include "station.hpp"

#include <halvo/halvo.hpp>
#include <halvo/job.hpp>

#include <gtest/gtest.h>

#include <filesystem>

namespace test {

using namespace halvo;
namespace fs = std::filesystem;

/// A fresh folder for one test, removed with it.
class Folder {
public:
    Folder();
    ~Folder();
    Folder(const Folder&) = delete;
    Folder& operator=(const Folder&) = delete;
    [[nodiscard]] fs::path operator/(const std::string& name) const { return path_ / name; }
    [[nodiscard]] const fs::path& path() const { return path_; }

private:
    fs::path path_;
};

/// Writes the items as STEP and reads them back.
[[nodiscard]] Assembly solids_of(const std::vector<make::Item>& items, const std::string& unit = "MM");
/// The whole job on the items.
[[nodiscard]] Job job_of(const std::vector<make::Item>& items, const Plan& plan = {}, const std::string& unit = "MM");
[[nodiscard]] Job job_of(const make::Solid& solid, const Plan& plan = {});

/// Rotation about an odd axis and a shift of 1e5 mm.
[[nodiscard]] Eigen::Isometry3d anywhere();
/// One solid with all that is slender as shells too, as it stands or moved anywhere.
[[nodiscard]] Job job_of_shells(const make::Solid& solid, bool moved);
[[nodiscard]] std::size_t count_findings(const Job& job, const std::string& kind);

/// What must hold of every model (halvo::validate).
void expect_valid(const Model& model, const char* stage);

/// Total length of seams of a kind.
[[nodiscard]] double seam_length(const Model& model, const std::string& kind);
[[nodiscard]] int seam_count(const Model& model, const std::string& kind);
[[nodiscard]] int joint_count(const Model& model, const std::string& kind);
[[nodiscard]] double total_area(const Model& model);

/// What every mesh must be: positive elements, each model edge divided once, no doubled or hanging nodes, areas of the
/// sheets kept, normals along the sheets' own.
void check_mesh(const Model& model, const Mesh& mesh);

/// One part that stands for all of the solids: within the proof's bounds, every contact a joint, and a mesh as it must be.
void expect_whole(const Job& job);

struct Ran {
    int code = -1;
    std::string out, err;
};
/// Runs a line of the shell, in `where` if given.
[[nodiscard]] Ran command(const std::string& line, const fs::path& where = {});
/// Runs the halvo command with these arguments.
[[nodiscard]] Ran halvo_command(const std::string& arguments, const fs::path& where = {});
[[nodiscard]] std::string slurp(const fs::path& file);
void spit(const fs::path& file, const std::string& text);

}  // namespace test
