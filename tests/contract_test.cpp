// The files of a run against each other: what mesh.vtu, summary.json, ledger.csv and model.halvo say must agree.
#include "support.hpp"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>
#include <pugixml.hpp>

#include <numeric>
#include <set>
#include <sstream>

using namespace test;
using Json = nlohmann::json;

namespace {

struct Grid {
    std::vector<Vec3> points;
    std::vector<std::vector<std::int64_t>> cells;
    std::vector<std::uint8_t> types, kind;
    std::vector<double> thickness, offset, quality;
    std::vector<std::int32_t> sheet, member, body, section;
};

template <class T>
std::vector<T> decode(const pugi::xml_node& array) {
    static const std::string letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string bytes;
    unsigned v = 0;
    int bits = 0;
    for (const char* c = array.text().as_string(); *c; ++c) {
        const auto at = letters.find(*c);
        if (at == std::string::npos) continue;
        v = (v << 6) | static_cast<unsigned>(at);
        if ((bits += 6) >= 8) bytes += static_cast<char>(v >> (bits -= 8));
    }
    std::uint64_t n = 0;
    std::memcpy(&n, bytes.data(), 8);
    std::vector<T> out(n / sizeof(T));
    std::memcpy(out.data(), bytes.data() + 8, n);
    return out;
}

Grid load_json(const fs::path& file) {
    pugi::xml_document doc;
    EXPECT_TRUE(doc.load_file(file.c_str()));
    const auto piece = doc.child("VTKFile").child("UnstructuredGrid").child("Piece");
    const auto named = [](const pugi::xml_node& parent, const char* name) { return parent.find_child_by_attribute("Name", name); };
    Grid g;
    const auto xyz = decode<double>(piece.child("Points").child("DataArray"));
    for (std::size_t i = 0; i + 2 < xyz.size(); i += 3) g.points.emplace_back(xyz[i], xyz[i + 1], xyz[i + 2]);
    const auto cells = piece.child("Cells"), data = piece.child("CellData");
    const auto connectivity = decode<std::int64_t>(named(cells, "connectivity")), offsets = decode<std::int64_t>(named(cells, "offsets"));
    std::int64_t from = 0;
    for (std::int64_t to : offsets) {
        g.cells.emplace_back(connectivity.begin() + from, connectivity.begin() + to);
        from = to;
    }
    g.types = decode<std::uint8_t>(named(cells, "types")), g.kind = decode<std::uint8_t>(named(data, "kind"));
    g.thickness = decode<double>(named(data, "thickness")), g.offset = decode<double>(named(data, "offset"));
    g.quality = decode<double>(named(data, "scaled_jacobian"));
    g.sheet = decode<std::int32_t>(named(data, "sheet")), g.member = decode<std::int32_t>(named(data, "member"));
    g.body = decode<std::int32_t>(named(data, "body")), g.section = decode<std::int32_t>(named(data, "section"));
    return g;
}

// One run of the demo for all tests here.
struct Demo {
    Folder folder;
    Grid grid;
    Json summary;
    std::string ledger;
    Demo() {
        const Ran r = halvo_command("run '" HALVO_SOURCE "/demo/station.toml' --quiet --out '" + folder.path().string() + "'");
        EXPECT_EQ(r.code, 0) << r.err;
        grid = load_json(folder / "mesh.vtu");
        summary = Json::parse(slurp(folder / "summary.json"));
        ledger = slurp(folder / "ledger.csv");
    }
};

const Demo& demo() {
    static const Demo d;
    return d;
}

double area(const Grid& g, std::size_t c) {
    const auto at = [&](std::size_t k) { return g.points[static_cast<std::size_t>(g.cells[c][k])]; };
    double sum = 0;
    for (std::size_t k = 1; k + 1 < g.cells[c].size(); ++k) sum += 0.5 * (at(k) - at(0)).cross(at(k + 1) - at(0)).norm();
    return sum;
}

}  // namespace

TEST(Contract, CountsAndTypesAgree) {
    const Grid& g = demo().grid;
    const Json& m = demo().summary["mesh"];
    const auto type = [&](int t) { return std::count(g.types.begin(), g.types.end(), t); };
    EXPECT_EQ(g.points.size(), m["nodes"].get<std::size_t>());
    EXPECT_EQ(type(9), m["quads"].get<long>());
    EXPECT_EQ(type(5), m["trias"].get<long>());
    EXPECT_EQ(type(3), m["lines"].get<long>() + m["links"].get<long>());
    for (std::size_t i = 0; i < g.cells.size(); ++i) {
        EXPECT_EQ(g.cells[i].size(), g.types[i] == 9 ? 4u : g.types[i] == 5 ? 3u : 2u);
        EXPECT_EQ(g.kind[i] == 0, g.types[i] != 3);
        EXPECT_EQ(g.thickness[i] > 0, g.kind[i] == 0);
        EXPECT_EQ(g.sheet[i] >= 0, g.kind[i] == 0);
        EXPECT_EQ(g.member[i] >= 0, g.kind[i] == 1);
        EXPECT_EQ(g.section[i] >= 0, g.kind[i] == 1);
        EXPECT_EQ(g.body[i] >= 1, g.kind[i] != 2);
    }
}

TEST(Contract, ElementsOfASheetAddUpToIt) {
    const Grid& g = demo().grid;
    const Json& sheets = demo().summary["sheets"];
    std::vector<double> sum(sheets.size(), 0.0), low(sheets.size(), 1e9), high(sheets.size(), 0.0);
    for (std::size_t i = 0; i < g.cells.size(); ++i) {
        if (g.kind[i] != 0) continue;
        const auto s = static_cast<std::size_t>(g.sheet[i]);
        ASSERT_LT(s, sheets.size());
        sum[s] += area(g, i);
        low[s] = std::min(low[s], g.thickness[i]), high[s] = std::max(high[s], g.thickness[i]);
        EXPECT_EQ(g.body[i], sheets[s]["body"].get<int>());
    }
    for (std::size_t s = 0; s < sheets.size(); ++s) {
        EXPECT_EQ(sheets[s]["id"].get<std::size_t>(), s);
        // Holes are polygons in the mesh: a small excess, never a lack.
        EXPECT_GE(sum[s], sheets[s]["area"].get<double>() * (1 - 1e-9)) << s;
        EXPECT_LE(sum[s], sheets[s]["area"].get<double>() * 1.01) << s;
        EXPECT_GE(low[s], sheets[s]["thickness"]["min"].get<double>() - 1e-9);
        EXPECT_LE(high[s], sheets[s]["thickness"]["max"].get<double>() + 1e-9);
    }
}

TEST(Contract, LinesOfAMemberAddUpToIt) {
    const Grid& g = demo().grid;
    const Json& members = demo().summary["members"];
    std::vector<double> sum(members.size(), 0.0);
    for (std::size_t i = 0; i < g.cells.size(); ++i)
        if (g.kind[i] == 1) {
            const auto m = static_cast<std::size_t>(g.member[i]);
            sum[m] += (g.points[static_cast<std::size_t>(g.cells[i][0])] - g.points[static_cast<std::size_t>(g.cells[i][1])]).norm();
            EXPECT_EQ(g.section[i], members[m]["section"].get<int>());
            EXPECT_EQ(g.body[i], members[m]["body"].get<int>());
        }
    for (std::size_t m = 0; m < members.size(); ++m) {
        EXPECT_NEAR(sum[m], members[m]["length"].get<double>(), 1e-6);
        const auto point = [&](const char* k) { return Vec3(members[m][k][0], members[m][k][1], members[m][k][2]); };
        EXPECT_NEAR((point("start") - point("end")).norm(), sum[m], 1e-6) << "straight";
    }
}

TEST(Contract, IdealizedAndBridgedVolumesAreThoseOfTheMesh) {
    const Json& s = demo().summary;
    std::vector<double> gross(s["bodies"].size() + 1, 0.0);
    for (const Json& k : s["sheets"]) gross[k["body"].get<std::size_t>()] += k["area"].get<double>() * k["thickness"]["mean"].get<double>();
    for (const Json& k : s["members"])
        gross[k["body"].get<std::size_t>()] += k["length"].get<double>() * s["sections"][k["section"].get<std::size_t>()]["area"].get<double>();
    for (const Json& b : s["bodies"]) {
        const double sum = b["idealized_volume"].get<double>() + b["bridged_volume"].get<double>();
        EXPECT_NEAR(gross[b["id"].get<std::size_t>()] / sum, 1, 1e-9) << b["name"];
        EXPECT_NEAR(b["idealized_volume"].get<double>() / b["volume"].get<double>() - 1, b["volume_error"].get<double>(), 1e-12);
    }
}

TEST(Contract, NodesAreOneAPlaceAndHangTogether) {
    const Grid& g = demo().grid;
    std::set<std::array<long long, 3>> places;
    for (const Vec3& p : g.points)
        EXPECT_TRUE(places.insert({std::llround(p.x() * 100 + 0.3), std::llround(p.y() * 100 + 0.3), std::llround(p.z() * 100 + 0.3)}).second) << p.transpose();
    std::vector<std::int64_t> parent(g.points.size());
    std::iota(parent.begin(), parent.end(), 0);
    const auto root = [&](std::int64_t i) {
        while (parent[static_cast<std::size_t>(i)] != i) i = parent[static_cast<std::size_t>(i)];
        return i;
    };
    for (const auto& c : g.cells)
        for (std::size_t k = 1; k < c.size(); ++k) parent[static_cast<std::size_t>(root(c[k]))] = root(c[0]);
    std::set<std::int64_t> parts;
    for (std::size_t i = 0; i < parent.size(); ++i) parts.insert(root(static_cast<std::int64_t>(i)));
    EXPECT_EQ(parts.size(), 1u);
    EXPECT_EQ(demo().summary["mesh"]["parts"], 1);
}

TEST(Contract, QualityFiguresAreTheElements) {
    const Grid& g = demo().grid;
    double low = 1, sum = 0;
    int shells = 0;
    for (std::size_t i = 0; i < g.cells.size(); ++i)
        if (g.kind[i] == 0) {
            std::vector<Vec3> corners;
            for (std::int64_t n : g.cells[i]) corners.push_back(g.points[static_cast<std::size_t>(n)]);
            EXPECT_NEAR(scaled_jacobian(corners), g.quality[i], 1e-6);
            low = std::min(low, g.quality[i]), sum += g.quality[i], ++shells;
        }
    const Json& q = demo().summary["mesh"]["quality"];
    EXPECT_NEAR(q["min_scaled_jacobian"].get<double>(), low, 1e-12);
    EXPECT_NEAR(q["mean_scaled_jacobian"].get<double>(), sum / shells, 1e-9);
}

TEST(Contract, EveryEntityIsInTheLedgerUnderItsId) {
    std::set<std::string> ids;
    std::istringstream in(demo().ledger);
    std::string line;
    std::getline(in, line);
    EXPECT_EQ(line, "id,stage,kind,state,value,body,about");
    while (std::getline(in, line)) EXPECT_TRUE(ids.insert(line.substr(0, line.find(','))).second) << "twice: " << line;
    for (const Json& j : demo().summary["joints"]) EXPECT_TRUE(ids.count(j["id"].get<std::string>())) << j["id"];
    for (const Json& m : demo().summary["members"]) EXPECT_TRUE(ids.count(m["key"].get<std::string>())) << m["key"];
    std::set<std::string> keys;
    for (const char* list : {"bodies", "sheets", "members", "sections"})
        for (const Json& k : demo().summary[list]) EXPECT_TRUE(keys.insert(k["key"].get<std::string>()).second) << "an id twice: " << k["key"];
}
