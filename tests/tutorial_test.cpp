// Types what docs/tutorial.md says and expects what it says to come back.
#include "support.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <sstream>

using namespace test;

namespace {

struct Step {
    std::string command;
    std::vector<std::string> expected;
};

std::string trimmed(const std::string& s) {
    const auto from = s.find_first_not_of(" \t"), to = s.find_last_not_of(" \t\r");
    return from == std::string::npos ? "" : s.substr(from, to - from + 1);
}

std::vector<Step> steps_of(const std::string& text) {
    std::vector<Step> out;
    std::istringstream in(text);
    bool console = false;
    for (std::string line; std::getline(in, line);) {
        if (line.starts_with("```")) console = line == "```console";
        else if (console && line.starts_with("$ halvo ")) out.push_back({line.substr(8), {}});
        else if (console && !out.empty() && line != "..." && !trimmed(line).empty()) out.back().expected.push_back(trimmed(line));
    }
    return out;
}

}  // namespace

TEST(Tutorial, DoesWhatItSays) {
    const Folder folder;
    fs::create_directory_symlink(fs::path(HALVO_SOURCE) / "demo", folder / "demo");
    const auto steps = steps_of(slurp(fs::path(HALVO_SOURCE) / "docs" / "tutorial.md"));
    ASSERT_GT(steps.size(), 8u);
    for (const Step& s : steps) {
        const Ran ran = halvo_command(s.command, folder.path());
        const std::string said = ran.out + ran.err;
        std::size_t at = 0;
        for (const std::string& line : s.expected) {
            const std::size_t found = said.find(line, at);
            EXPECT_NE(found, std::string::npos) << s.command << "\nwas to print: " << line << "\nand printed:\n" << said;
            if (found == std::string::npos) break;
            at = found + line.size();
        }
        if (s.expected.empty()) {
            EXPECT_EQ(ran.code, 0) << s.command << "\n" << said;
        }
    }
}
