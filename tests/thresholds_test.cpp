// docs/thresholds.md lists the named thresholds of every stage, made from the sources: a constant that is added, changed or has no reason
// beside it shows here. HALVO_WRITE_DOCS=1 writes the page anew.
#include "support.hpp"

#include <fmt/format.h>

#include <cstdlib>
#include <map>
#include <regex>
#include <sstream>

using namespace test;

namespace {

struct Threshold {
    std::string name, value, why, file;
};

std::string without_spaces(const std::string& s) {
    const auto from = s.find_first_not_of(' ');
    return from == std::string::npos ? "" : s.substr(from, s.find_last_not_of(' ') - from + 1);
}

// Of one file: `name = value` of each constant, with the comment behind it or, for the first of several, above it.
std::vector<Threshold> thresholds_of(const fs::path& file, std::vector<std::string>& bare) {
    static const std::regex constant(R"(^(\s*)(?:static |inline )*constexpr (?:double|int|std::size_t) ([^;]*);\s*(?://(?:/<)?\s*(.*))?$)");
    std::vector<Threshold> out;
    std::istringstream lines(slurp(file));
    std::string line, above;
    while (std::getline(lines, line)) {
        std::smatch m;
        if (std::regex_match(line, m, constant)) {
            const std::string why = m[3].matched ? without_spaces(m[3]) : above;
            std::istringstream pairs(m[2]);
            for (std::string pair; std::getline(pairs, pair, ',');) {
                const auto equals = pair.find('=');
                if (equals == std::string::npos) continue;
                const std::string name = without_spaces(pair.substr(0, equals));
                if (why.empty()) {
                    if (m[1].str().empty()) bare.push_back(file.filename().string() + ": " + name);
                    continue;  // of one function, and said by its name
                }
                out.push_back({name, without_spaces(pair.substr(equals + 1)), why, file.filename().string()});
            }
        }
        const std::string text = without_spaces(line);
        above = text.rfind("// ", 0) == 0 ? text.substr(3) : "";
    }
    return out;
}

std::string page(std::vector<std::string>& bare) {
    std::string out =
        "# Thresholds\n\nThe named constants by which stages decide, made from the sources by `tests/thresholds_test.cpp`. Lengths are shares of a\n"
        "thickness, a radius, an element or the tolerance, as the text says. Angles are sines or cosines.\n";
    for (const char* stage : {"survey", "mend", "strip", "halve", "join", "mesh", "prove", "solve", "body", "model", "geom"}) {
        std::vector<fs::path> files;
        for (const auto& entry : fs::directory_iterator(fs::path(HALVO_SOURCE) / "src" / stage))
            if (entry.path().extension() == ".cpp" || entry.path().extension() == ".hpp") files.push_back(entry.path());
        std::sort(files.begin(), files.end());
        out += fmt::format("\n## {}\n\n| constant | value | what it is, and why | file |\n|---|---|---|---|\n", stage);
        for (const fs::path& f : files)
            for (const Threshold& t : thresholds_of(f, bare)) {
                std::string why = t.why;
                for (std::size_t at = 0; (at = why.find('|', at)) != std::string::npos; at += 2) why.insert(at, "\\");
                out += fmt::format("| `{}` | {} | {} | {} |\n", t.name, t.value, why, t.file);
            }
    }
    return out;
}

}  // namespace

TEST(Thresholds, StandInOneTableAStageWithTheirReasons) {
    std::vector<std::string> bare;
    const std::string made = page(bare);
    const fs::path file = fs::path(HALVO_SOURCE) / "docs" / "thresholds.md";
    if (std::getenv("HALVO_WRITE_DOCS")) spit(file, made);
    EXPECT_EQ(slurp(file), made) << "run HALVO_WRITE_DOCS=1 halvo_tests --gtest_filter=Thresholds.*";
    EXPECT_TRUE(bare.empty()) << fmt::format("no reason beside {}", fmt::join(bare, ", "));
}
