#pragma once
/// Parts on the fly with a plan, run by the command line up to their solution.

#include "support.hpp"

#include <nlohmann/json.hpp>

#include <fstream>

namespace test {

using Json = nlohmann::json;

inline std::string in_quotes(const fs::path& p) {
    return "'" + p.string() + "'";
}

/// A part and its plan in a folder; walls as shells unless the plan says what becomes of slender ones.
struct SolvedPart {
    Folder folder;
    SolvedPart(const std::vector<make::Item>& items, const std::string& plan) {
        make::write_step((folder / "part.step").string(), items);
        const char* shells = plan.find("halve.slender") == std::string::npos ? "halve.slender = \"shells\"\n" : "";
        std::ofstream(folder / "plan.toml") << "source.file = \"part.step\"\n" << shells << plan;
    }
    [[nodiscard]] Ran ran(const std::string& more = "") const {
        return halvo_command("run " + in_quotes(folder / "plan.toml") + " --json --quiet --out " + in_quotes(folder / "out") + " " + more);
    }
    [[nodiscard]] Json run(const std::string& more = "") const {
        const Ran r = ran(more);
        const bool done = r.code == 0 || r.code == 5;  // the proof says so where the plan gives another thickness than the solid has
        EXPECT_TRUE(done) << r.err;
        return done ? Json::parse(r.out) : Json();
    }
};

}  // namespace test
