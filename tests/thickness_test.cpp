// Thickness for meshes made elsewhere: any encoding of the file, any position of the elements in the wall.
#include "curved_parts.hpp"

#include <halvo/grid.hpp>
#include <halvo/thickness.hpp>

#include <cmath>

using namespace test;

namespace {

// A square of n by n quads with corner `at`, in the directions x and y.
void add_square(std::vector<Vec3>& nodes, std::vector<std::array<std::int64_t, 4>>& elements, const Vec3& at, const Vec3& x, const Vec3& y, int n) {
    const auto base = static_cast<std::int64_t>(nodes.size());
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) nodes.emplace_back(at + x * i / n + y * j / n);
    for (std::int64_t j = 0; j < n; ++j)
        for (std::int64_t i = 0; i < n; ++i) {
            const std::int64_t p = base + j * (n + 1) + i;
            if ((i + j) % 3) elements.push_back({p, p + 1, p + n + 2, p + n + 1});
            else elements.push_back({p, p + 1, p + n + 2, -1}), elements.push_back({p, p + n + 2, p + n + 1, -1});
        }
}

const char* text_grid = R"(<?xml version="1.0"?>
<VTKFile type="UnstructuredGrid" version="0.1" byte_order="LittleEndian">
 <UnstructuredGrid><Piece NumberOfPoints="5" NumberOfCells="3">
  <Points><DataArray type="Float32" NumberOfComponents="3" format="ascii">20 20 2  40 20 2  40 40 2  20 40 2  500 500 500</DataArray></Points>
  <Cells><DataArray type="Int32" Name="connectivity" format="ascii">0 1 2 3  0 2 4  0 1</DataArray>
   <DataArray type="Int32" Name="offsets" format="ascii">4 7 9</DataArray>
   <DataArray type="UInt8" Name="types" format="ascii">9 5 3</DataArray></Cells>
  <CellData><DataArray type="Int32" Name="property" format="ascii">7 8 9</DataArray></CellData>
 </Piece></UnstructuredGrid>
</VTKFile>)";

}  // namespace

TEST(ShellThickness, MiddleSkinAndBeside) {
    const Assembly solids = solids_of({{"plate", make::box({0, 0, 0}, {200, 100, 4})}, {"thick", make::box({300, 0, 0}, {200, 100, 9})}});
    std::vector<Vec3> nodes;
    std::vector<std::array<std::int64_t, 4>> elements;
    struct Case {
        double x, z, thickness, offset;
    };
    // In the middle, off it, on either skin, just outside, and in the other solid.
    const std::vector<Case> cases{{20, 2, 4, 0}, {20, 1, 4, 1}, {20, 0, 4, 2}, {20, 4, 4, -2}, {20, 4.1, 4, -2.1}, {320, 3, 9, 1.5}};
    for (const Case& c : cases) {
        nodes.clear(), elements.clear();
        add_square(nodes, elements, Vec3(c.x, 20, c.z) - solids.shift, {100, 0, 0}, {0, 50, 0}, 4);
        for (const ShellThickness& t : shell_thickness(solids, nodes, elements)) {
            ASSERT_TRUE(t.body) << c.z;
            EXPECT_NEAR(t.thickness, c.thickness, 1e-9);
            EXPECT_NEAR(t.offset, c.offset, 1e-9);
        }
    }
    nodes.clear(), elements.clear();
    add_square(nodes, elements, Vec3(20, 20, 50) - solids.shift, {100, 0, 0}, {0, 50, 0}, 2);
    for (const ShellThickness& t : shell_thickness(solids, nodes, elements)) EXPECT_FALSE(t.body);
}

TEST(ShellThickness, FindsAgainWhatHalvoMade) {
    for (const char* name : {"folded sheet", "freeform", "cone with skirt", "stepped plate", "tapered tube"}) {
        const auto& parts = curved_parts();
        const auto p = std::find_if(parts.begin(), parts.end(), [&](const CurvedPart& k) { return k.name == name; });
        const Job j = job_of(p->solid());
        std::vector<std::array<std::int64_t, 4>> elements;
        for (const Element& e : j.mesh.elements) elements.push_back({e.nodes[0], e.nodes[1], e.nodes[2], e.count == 4 ? e.nodes[3] : -1});
        const auto found = shell_thickness(j.solids, j.mesh.nodes, elements);
        int missing = 0, off = 0;
        for (std::size_t i = 0; i < found.size(); ++i) {
            missing += !found[i].body;
            off += found[i].body && std::abs(found[i].thickness / j.mesh.elements[i].thickness - 1) > 0.02;
        }
        EXPECT_EQ(missing, 0) << name;
        EXPECT_LE(off, static_cast<int>(0.02 * static_cast<double>(found.size()))) << name;
    }
}

TEST(GridFile, ReadsTextAndKeepsItsArrays) {
    const Folder folder;
    spit(folder / "a.vtu", text_grid);
    const Grid g = read_grid(folder / "a.vtu");
    ASSERT_EQ(g.types.size(), 3u);
    EXPECT_EQ(g.shell(0)[3], 3);
    EXPECT_EQ(g.shell(1)[3], -1);
    EXPECT_EQ(g.shell(2)[0], -1);
    write_grid(folder / "b.vtu", g);
    const Grid h = read_grid(folder / "b.vtu");
    EXPECT_EQ(h.connectivity, g.connectivity);
    ASSERT_EQ(h.cell_data.size(), 1u);
    EXPECT_EQ(h.cell_data[0].name, "property");
    EXPECT_EQ(h.cell_data[0].values, (std::vector<double>{7, 8, 9}));
    EXPECT_EQ(h.points[4], Vec3(500, 500, 500));
}

TEST(GridFile, ReadsRawAppendedBigEndian) {
    const Folder folder;
    // One triangle; each array with a 32-bit length in front, most significant byte first.
    std::string raw;
    std::vector<std::size_t> at;
    const auto word = [](std::uint32_t v) { return std::string{char(v >> 24), char(v >> 16 & 255), char(v >> 8 & 255), char(v & 255)}; };
    const auto add = [&](const std::string& bytes) { at.push_back(raw.size()), raw += word(static_cast<std::uint32_t>(bytes.size())) + bytes; };
    std::string points;
    for (const float f : {0.F, 0.F, 0.F, 1.F, 0.F, 0.F, 0.F, 2.F, 0.F}) points += word(std::bit_cast<std::uint32_t>(f));
    add(points), add(word(0) + word(1) + word(2)), add(word(3)), add(std::string(1, char(5)));
    const auto array = [&](const char* type, const char* name, std::size_t i) {
        return "<DataArray type=\"" + std::string(type) + "\" Name=\"" + name + "\" NumberOfComponents=\"" + (i == 0 ? "3" : "1") +
               "\" format=\"appended\" offset=\"" + std::to_string(at[i]) + "\"/>";
    };
    spit(folder / "r.vtu",
         "<VTKFile type=\"UnstructuredGrid\" byte_order=\"BigEndian\"><UnstructuredGrid><Piece NumberOfPoints=\"3\" NumberOfCells=\"1\"><Points>" +
             array("Float32", "Points", 0) + "</Points><Cells>" + array("Int32", "connectivity", 1) + array("Int32", "offsets", 2) +
             array("UInt8", "types", 3) + "</Cells></Piece></UnstructuredGrid><AppendedData encoding=\"raw\">\n_" + raw + "\n</AppendedData></VTKFile>");
    const Grid g = read_grid(folder / "r.vtu");
    ASSERT_EQ(g.points.size(), 3u);
    EXPECT_EQ(g.points[2], Vec3(0, 2, 0));
    EXPECT_EQ(g.shell(0), (std::array<std::int64_t, 4>{0, 1, 2, -1}));
}

TEST(GridFile, DamageIsOneClearLine) {
    const Folder folder;
    const std::string whole = text_grid;
    for (const std::string& bad : {std::string(), std::string("solid cube"), whole.substr(0, 200), whole.substr(0, 500)}) {
        spit(folder / "bad.vtu", bad);
        try {
            (void)read_grid(folder / "bad.vtu");
            FAIL() << bad.size();
        } catch (const Error& e) {
            EXPECT_EQ(std::string(e.what()).find('\n'), std::string::npos);
        }
    }
    std::string lost = whole;
    lost.replace(lost.find("0 2 4"), 5, "0 2 9");
    spit(folder / "bad.vtu", lost);
    EXPECT_THROW((void)read_grid(folder / "bad.vtu"), Error);
}

TEST(ThicknessCommand, GivesAndLists) {
    const Folder folder;
    spit(folder / "a.vtu", text_grid);
    make::write_step((folder / "plate.step").string(), {{"plate", make::box({0, 0, 0}, {200, 100, 4})}});
    const Ran r = halvo_command("thickness a.vtu plate.step -o b.vtu", folder.path());
    EXPECT_EQ(r.code, 0) << r.err;
    EXPECT_NE(r.out.find("1 of 2 shell elements"), std::string::npos) << r.out;
    EXPECT_NE(r.out.find("cell 1 at"), std::string::npos) << r.out;
    const Grid g = read_grid(folder / "b.vtu");
    const auto of = [&](const char* name) {
        for (const GridArray& a : g.cell_data)
            if (a.name == name) return a.values;
        return std::vector<double>{};
    };
    EXPECT_EQ(of("property"), (std::vector<double>{7, 8, 9}));
    ASSERT_EQ(of("thickness").size(), 3u);
    EXPECT_NEAR(of("thickness")[0], 4, 1e-9);
    EXPECT_EQ(of("thickness")[1], 0);
    EXPECT_EQ(of("solid"), (std::vector<double>{1, -1, -1}));
    make::write_step((folder / "far.step").string(), {{"plate", make::box({9000, 0, 0}, {200, 100, 4})}});
    const Ran none = halvo_command("thickness a.vtu far.step -o c.vtu", folder.path());
    EXPECT_EQ(none.code, 3);
    EXPECT_FALSE(fs::exists(folder / "c.vtu"));
}

namespace {

// Two pieces, arrays packed in blocks of 16 bytes, the last one shorter.
const char* packed_grid =
    R"(<VTKFile type="UnstructuredGrid" version="1.0" byte_order="LittleEndian" header_type="UInt32" compressor="vtkZLibDataCompressor"><UnstructuredGrid>
<Piece NumberOfPoints="4" NumberOfCells="1">
<Points><DataArray type="Float64" NumberOfComponents="3" format="binary">BgAAABAAAAAAAAAAEAAAABAAAAARAAAAEAAAABAAAAARAAAAeJxjYAABEwcGKA0ABQAA6XicY2AAAwcI5eIAAAMYAMV4nGNgAAETBwYIcAAABJgAtXicY2AAARcHBigNAAXAAQl4nGNgAAMHCGXiAAAC+AC1eJxjYAABFwcGCHAAAAU4AMU=</DataArray></Points>
<Cells><DataArray type="Int64" Name="connectivity" format="binary">AgAAABAAAAAAAAAADgAAAA4AAAA=eJxjYIAARigNAAAYAAJ4nGNigABmKA0AAEgABg==</DataArray>
<DataArray type="Int64" Name="offsets" format="binary">AQAAABAAAAAIAAAACwAAAA==eJxjYYAAAAAoAAU=</DataArray>
<DataArray type="UInt8" Name="types" format="binary">AQAAABAAAAABAAAACQAAAA==eJzjBAAACgAK</DataArray></Cells></Piece>
<Piece NumberOfPoints="3" NumberOfCells="1">
<Points><DataArray type="Float64" NumberOfComponents="3" format="binary">BQAAABAAAAAIAAAAEgAAABIAAAASAAAAEwAAAA0AAAA=eJxjYACBEgcwxWDiAAAHgAEpeJxjYAABDgcw5VDqAAAEigE+eJxjYAABEwcwxcDhAAAEqAC9eJxjYAACh1IHBjBwcQAACmoBenicY2AAAQ4HAABYAEk=</DataArray></Points>
<Cells><DataArray type="Int64" Name="connectivity" format="binary">AgAAABAAAAAIAAAADgAAAAsAAAA=eJxjYIAARigNAAAYAAJ4nGNigAAAABgAAw==</DataArray>
<DataArray type="Int64" Name="offsets" format="binary">AQAAABAAAAAIAAAACwAAAA==eJxjZoAAAAAgAAQ=</DataArray>
<DataArray type="UInt8" Name="types" format="binary">AQAAABAAAAABAAAACQAAAA==eJxjBQAABgAG</DataArray></Cells></Piece>
</UnstructuredGrid></VTKFile>)";

}  // namespace

TEST(GridFile, ReadsPackedArraysAndSeveralPieces) {
    const Folder f;
    spit(f / "packed.vtu", packed_grid);
    const Grid g = read_grid(f / "packed.vtu");
    ASSERT_EQ(g.points.size(), 7u);
    EXPECT_EQ(g.points[2], Vec3(40, 40, 2));
    EXPECT_EQ(g.points[4], Vec3(320, 20, 3));
    // As the thickness command takes it, against two plates; a damaged array is one clear line.
    make::write_step((f / "plates.step").string(), {{"plate", make::box({0, 0, 0}, {200, 100, 4})}, {"thick", make::box({300, 0, 0}, {200, 100, 9})}});
    const Ran r = halvo_command("thickness packed.vtu plates.step -o out.vtu", f.path());
    EXPECT_EQ(r.code, 0) << r.err;
    std::string damaged = packed_grid;
    damaged[damaged.find("binary\">") + 60] ^= 1;
    spit(f / "damaged.vtu", damaged);
    const Ran bad = halvo_command("thickness damaged.vtu plates.step -o out2.vtu", f.path());
    EXPECT_EQ(bad.code, 3);
    EXPECT_FALSE(fs::exists(f / "out2.vtu"));
}
