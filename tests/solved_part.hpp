#pragma once
/// Parts on the fly with a plan, run by the command line up to their solution.

#include "support.hpp"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <fstream>

namespace test {

using Json = nlohmann::json;

inline std::string in_quotes(const fs::path& p) {
    return "'" + p.string() + "'";
}

/// A folder with parts and a plan for them.
class SolvedPart {
public:
    SolvedPart(const std::vector<make::Item>& items, const std::string& plan, const std::string& unit = "MM") {
        make::write_step((folder_ / "part.step").string(), items, unit);
        std::ofstream(folder_ / "plan.toml") << "source.file = \"part.step\"\n" << plan;
    }
    [[nodiscard]] Ran ran(const std::string& more = "") const {
        return halvo_command("run " + in_quotes(folder_ / "plan.toml") + " --json --quiet --out " + in_quotes(folder_ / "out") + " " + more);
    }
    /// What it prints and leaves behind: the summary. The proof may say that it is outside its bounds where the plan gives another thickness.
    [[nodiscard]] Json run(const std::string& more = "") const {
        const Ran r = ran(more);
        const bool done = r.code == 0 || r.code == 5;
        EXPECT_TRUE(done) << r.err;
        return done ? Json::parse(r.out) : Json();
    }
    /// One line on standard error that has this part, and nothing else.
    void refuses(int code, const std::string& part) const {
        const Ran r = ran();
        EXPECT_EQ(r.code, code) << r.err;
        EXPECT_EQ(std::count(r.err.begin(), r.err.end(), '\n'), 1) << r.err;
        EXPECT_NE(r.err.find(part), std::string::npos) << r.err << " lacks " << part;
        EXPECT_EQ(r.out, "");
        EXPECT_FALSE(fs::exists(folder_ / "out"));
    }
    [[nodiscard]] fs::path operator/(const std::string& name) const { return folder_ / name; }

private:
    Folder folder_;
};

/// The same with all walls as shells, slender ones too.
struct SolvedShells : SolvedPart {
    SolvedShells(const std::vector<make::Item>& items, const std::string& plan) : SolvedPart(items, "halve.slender = \"shells\"\n" + plan) {}
};

inline Json probe(const Json& summary, const std::string& name, const std::string& load_case = "") {
    for (const Json& p : summary["probes"])
        if (p["name"] == name && (load_case.empty() || p["case"] == load_case)) return p;
    ADD_FAILURE() << "no probe " << name;
    return {};
}

}  // namespace test
