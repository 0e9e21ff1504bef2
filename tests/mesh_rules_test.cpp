// What the plan says of the mesh edge by edge and sheet by sheet.
#include "structures.hpp"

#include <halvo/halve.hpp>
#include <halvo/mesh.hpp>

#include <gtest/gtest.h>

#include <set>

using namespace test;
using make::box;

namespace {

Job meshed_again(Job j, const MeshOptions& o) {
    j.plan.mesh = o;
    run(j, Stage::mesh, Stage::prove);
    check_mesh(j.model, j.mesh);
    return j;
}

make::Solid corner(double t, double inner, double a, double b) {
    const double out = inner + t;
    return make::extrude({make::rounded({{0, 0}, {a, 0}, {a, t}, {t, t}, {t, b}, {0, b}}, {out, 0, 0, inner, 0, 0})}, 200);
}

}  // namespace

TEST(MeshRules, SizesGrowAwayFromAFinerSheet) {
    const Job made = job_of({{"base", box({0, 0, 0}, {600, 200, 6})}, {"rib", box({0, 97, 6}, {600, 6, 80})}, {"end", box({600, 0, 0}, {6, 200, 86})}});
    MeshOptions o;
    o.size = 40;
    SizeRule fine;
    fine.body = {"end"};
    fine.size = 5;
    o.sizes.push_back(fine);
    const Job j = meshed_again(made, o);
    // Along the base's long free edge: small at the fine end, up to the size at the other, no neighbour more than half as long again.
    std::vector<std::pair<double, double>> pieces;
    for (const Element& e : j.mesh.elements)
        for (std::size_t k = 0; k < e.count; ++k) {
            const Vec3 a = j.mesh.nodes[static_cast<std::size_t>(e.nodes[k])] + j.solids.shift,
                       b = j.mesh.nodes[static_cast<std::size_t>(e.nodes[(k + 1) % e.count])] + j.solids.shift;
            if (std::abs(a.y()) < 1e-6 && std::abs(b.y()) < 1e-6 && std::abs(a.z() - 3) < 1e-6 && std::abs(b.z() - 3) < 1e-6)
                pieces.emplace_back(0.5 * (a.x() + b.x()), (a - b).norm());
        }
    std::sort(pieces.begin(), pieces.end());
    ASSERT_GT(pieces.size(), 15u);
    EXPECT_LT(pieces.back().second, 7);
    EXPECT_GT(pieces.front().second, 30);
    for (std::size_t i = 0; i + 1 < pieces.size(); ++i) EXPECT_LT(pieces[i].second, 1.5 * pieces[i + 1].second);
    EXPECT_GT(j.mesh.quality.min_scaled_jacobian, 0.3);
}

TEST(MeshRules, CountOnAnEdgeAndRowsRoundABend) {
    const Job made = job_of(corner(3, 5, 120, 90));
    MeshOptions o;
    o.size = 20;
    o.bend_rows = 5;
    SizeRule edge;
    edge.points = {{120, 1.5, 100}};  // the free edge of the one flange, 200 long
    edge.count = 13;
    o.sizes.push_back(edge);
    const Job j = meshed_again(made, o);
    int on_bend = 0;
    double area = 0;
    for (const Element& e : j.mesh.elements)
        if (!j.model.sheets[e.sheet.index()].chart.flat()) ++on_bend;
    EXPECT_EQ(on_bend, 5 * 13) << "the count runs through all three strips";
    for (const Sheet& s : j.model.sheets) area += s.area();
    EXPECT_NEAR(area, 200 * ((120 - 8) + (90 - 8) + pi / 2 * 6.5), 1e-3);
}

TEST(MeshRules, FreeRegionsOfBentSheetsKeepToTheirCurvature) {
    // A dome over a square foot: its corners are no four-sided pieces.
    const make::Solid dome = make::cut(make::cut(make::ball({0, 0, 0}, 100), {make::ball({0, 0, 0}, 97)}), {box({-200, -200, -200}, {400, 400, 230})});
    double last = 1;
    for (const double chord : {2.0, 0.5}) {
        Plan plan;
        plan.mesh.size = 120, plan.mesh.chord = chord;
        const Job j = job_of(dome, plan);
        double area = 0;
        for (const Element& e : j.mesh.elements) {
            std::vector<Vec3> x;
            for (std::size_t k = 0; k < e.count; ++k) x.push_back(j.mesh.nodes[static_cast<std::size_t>(e.nodes[k])]);
            for (std::size_t k = 1; k + 1 < x.size(); ++k) area += 0.5 * (x[k] - x[0]).cross(x[k + 1] - x[0]).norm();
        }
        const double off = 1 - area / total_area(j.model);
        EXPECT_LT(off, 3 * chord / 98.5);
        EXPECT_LT(off, 0.5 * last);
        last = off;
    }
}

TEST(MeshRules, ThicknessByPlanCarriesTheSectionsOnIt) {
    const Job made = job_of({{"deck", box({0, 0, 0}, {900, 400, 5})}, bar("rail", {-50, 200, -30}, {950, 200, -30}, 40, 60, 4, Vec3::UnitZ())});
    MeshOptions o;
    SizeRule thick;
    thick.body = {"deck"};
    thick.size = 9;
    o.thicknesses.push_back(thick);
    const Job j = meshed_again(made, o);
    for (const Element& e : j.mesh.elements) {
        EXPECT_EQ(e.thickness, e.kind == ElementKind::shell ? 9 : 0);
        EXPECT_NEAR(e.section_offset.norm(), e.kind == ElementKind::beam ? (60 + 9) / 2.0 : 0, 1e-9);
    }
    EXPECT_TRUE(std::ranges::any_of(ledger_of(j), [](const LedgerEntry& e) { return e.kind == EntryKind::thickness; }));
}

TEST(MeshRules, GivenPlacesGetANode) {
    Plan p;
    p.join.points = {{130, 70, 4}, {0, 33, 2}, {500, 0, 300}, {9000, 0, 0}};
    const Job j = job_of({{"plate", box({0, 0, 0}, {400, 300, 4})}, bar("post", {500, 0, 0}, {500, 0, 900}, 40, 40, 3, Vec3::UnitX())}, p);
    for (const Vec3& want : {Vec3(130, 70, 2), Vec3(0, 33, 2), Vec3(500, 0, 300)}) {
        double nearest = 1e9;
        for (const Vec3& n : j.mesh.nodes) nearest = std::min(nearest, (n + j.solids.shift - want).norm());
        EXPECT_LT(nearest, 1e-6);
    }
    check_mesh(j.model, j.mesh);
    EXPECT_EQ(std::ranges::count_if(findings_of(j), [](const Finding& f) { return f.kind == FindingKind::rule_without_effect; }), 1);
}

TEST(MeshRules, EdgesAreFinerNextToWhatStandsBesideThem) {
    // A place ever nearer to the border: the border's nodes stand by it, and no element between is flat.
    for (const double d : {24.0, 12.0, 6.0, 3.0}) {
        SCOPED_TRACE(d);
        Plan p;
        p.mesh.size = 50;
        p.join.points = {{430, d, 4}};
        const Job j = job_of({{"plate", box({0, 0, 0}, {1000, 700, 4})}}, p);
        check_mesh(j.model, j.mesh);
        double nearest = 1e9;
        for (const Vec3& n : j.mesh.nodes) nearest = std::min(nearest, (n + j.solids.shift - Vec3(430, 0, 2)).norm());
        EXPECT_LT(nearest, 1e-9);
        EXPECT_GT(j.mesh.quality.min_scaled_jacobian, 0.45);
        EXPECT_GT(j.mesh.quality.quad_share, 0.97);
        EXPECT_EQ(assess(j.mesh, {}).outside, 0);
    }
}

TEST(MeshRules, SmallSheetsAreFinerByDefault) {
    // A bracket a twentieth as long as the frame it stands beside: its sheets show in more than a few elements, the large one is no finer.
    const auto small = [](const Mesh& m, const Model& model) {
        std::map<SheetId, int> n;
        for (const Element& e : m.elements) ++n[e.sheet];
        std::vector<int> out;
        for (std::size_t s = 0; s < model.sheets.size(); ++s) out.push_back(n[SheetId(s)]);
        std::sort(out.begin(), out.end());
        return out;
    };
    const Job j = job_of({{"deck", box({0, 0, 0}, {2000, 1500, 3})}, {"tab", box({900, 700, 3}, {3, 120, 90})}});
    const std::vector<int> own = small(j.mesh, j.model);
    ASSERT_EQ(own.size(), 2u);
    EXPECT_GE(own[0], 60);
    Plan p;
    p.mesh.size = 25;  // a hundredth of the deck's diagonal
    const std::vector<int> even = small(job_of({{"deck", box({0, 0, 0}, {2000, 1500, 3})}, {"tab", box({900, 700, 3}, {3, 120, 90})}}, p).mesh, j.model);
    EXPECT_LE(even[0], 20);
    EXPECT_LE(own[1], 1.6 * even[1]) << "only round the tab";
    check_mesh(j.model, j.mesh);
}

TEST(MeshRules, SameElementsWhereNothingChanged) {
    // Another thickness: the same nodes and elements. Another size on one sheet: sheets that share nothing with it keep their nodes' places.
    const Job made = job_of({{"a", box({0, 0, 0}, {400, 300, 4})}, {"b", box({0, 0, 500}, {400, 300, 4})}});
    MeshOptions o;
    o.size = 20;
    const Job before = meshed_again(made, o);
    SizeRule r;
    r.body = {"a"};
    r.size = 6;
    o.thicknesses = {r};
    const Job thick = meshed_again(made, o);
    ASSERT_EQ(thick.mesh.nodes.size(), before.mesh.nodes.size());
    for (std::size_t i = 0; i < before.mesh.nodes.size(); ++i) EXPECT_EQ(thick.mesh.nodes[i], before.mesh.nodes[i]);
    o.thicknesses.clear(), o.sizes = {r};
    const Job fine = meshed_again(made, o);
    const auto places = [](const Mesh& m, const Model& model, const std::string& wall) {
        std::set<std::array<double, 3>> out;
        for (const Element& e : m.elements)
            if (model.sheets[e.sheet.index()].wall == wall)
                for (std::size_t k = 0; k < e.count; ++k) {
                    const Vec3& p = m.nodes[static_cast<std::size_t>(e.nodes[k])];
                    out.insert({p.x(), p.y(), p.z()});
                }
        return out;
    };
    EXPECT_EQ(places(fine.mesh, fine.model, fine.model.sheets[1].wall), places(before.mesh, before.model, before.model.sheets[1].wall));
    EXPECT_GT(fine.mesh.elements.size(), 4 * before.mesh.elements.size() / 2);
}

TEST(MeshRules, OutlinesRunOnPastKinksAndShortSmoothPieces) {
    // A plate with a kink of 2 degrees in its upper side.
    const double kink = 60 + 50 * std::tan(2 * pi / 180);
    const Assembly a = solids_of({{"part", make::extrude({make::polygon({{0, 0}, {100, 0}, {100, 60}, {47, kink}, {0, kink}})}, 3)}});
    Model m = halve(a);
    join(m, a);
    const auto has = [&](const Mesh& k, const Vec3& p) {
        return std::any_of(k.nodes.begin(), k.nodes.end(), [&](const Vec3& n) { return (n + a.shift - p).norm() < 1e-6; });
    };
    MeshOptions o;
    o.size = 10;
    const Mesh kept = mesh(m, o);
    check_mesh(m, kept);
    EXPECT_TRUE(has(kept, {47, kink, 1.5}));
    o.feature = 5 * pi / 180;
    const Mesh one = mesh(m, o);
    EXPECT_FALSE(has(one, {47, kink, 1.5}));
    EXPECT_EQ(one.quality.quad_share, 1);
    EXPECT_EQ(one.parts, 1);
    double area = 0;
    for (const Element& e : one.elements) {
        const auto p = [&](std::size_t k) { return one.nodes[static_cast<std::size_t>(e.nodes[k])]; };
        area += 0.5 * ((p(1) - p(0)).cross(p(2) - p(0)).norm() + (p(2) - p(0)).cross(p(3) - p(0)).norm());
    }
    // Off by what one element cuts of the corner.
    EXPECT_NEAR(area, total_area(m), 0.125 * 10 * 10 * std::tan(2 * pi / 180));
    // A rule that names the piece keeps its ends; so does a chord that the cut corner is more than, and a place the plan wants a node at.
    SizeRule r;
    r.points = {{20, kink, 1.5}}, r.count = 4;
    o.sizes = {r};
    EXPECT_TRUE(has(mesh(m, o), {47, kink, 1.5}));
    o.sizes.clear(), o.chord = 1e-3;
    EXPECT_TRUE(has(mesh(m, o), {47, kink, 1.5}));
    o.chord.reset();
    Model wanted = halve(a);
    JoinOptions at;
    at.points = {{47, kink, 1.5}};
    join(wanted, a, at);
    EXPECT_TRUE(has(mesh(wanted, o), {47, kink, 1.5}));
}

TEST(MeshRules, ShortSmoothPiecesAreNoElementsOfTheirOwn) {
    // A line that runs into a wide arc by way of 3 mm of a still wider one, at elements of 10 mm.
    const double r = 200, s = 2000, turn = 3 / s;
    std::vector<Curve> outline;
    const auto arc = [](const Vec2& centre, double radius, double from, double to) {
        return Curve{CircleCurve{Frame{Vec3(centre.x(), centre.y(), 0), Vec3::UnitX(), Vec3::UnitY(), Vec3::UnitZ()}, radius}, from, to};
    };
    // Counter-clockwise: along y = 0, then both arcs to the left.
    const Vec2 c1(100, s), end1 = c1 + s * Vec2(std::sin(turn), -std::cos(turn)), c2 = end1 + r * Vec2(-std::sin(turn), std::cos(turn));
    const double turn2 = 0.4;
    const Vec2 end2 = c2 + r * Vec2(std::sin(turn + turn2), -std::cos(turn + turn2));
    outline.push_back(Curve::segment({0, 0, 0}, {100, 0, 0}));
    outline.push_back(arc(c1, s, -pi / 2, -pi / 2 + turn));
    outline.push_back(arc(c2, r, -pi / 2 + turn, -pi / 2 + turn + turn2));
    outline.push_back(Curve::segment({end2.x(), end2.y(), 0}, {end2.x(), 80, 0}));
    outline.push_back(Curve::segment({end2.x(), 80, 0}, {0, 80, 0}));
    outline.push_back(Curve::segment({0, 80, 0}, {0, 0, 0}));
    const Assembly a = solids_of({{"part", make::extrude({outline}, 3)}});
    Model m = halve(a);
    join(m, a);
    MeshOptions o;
    o.size = 10;
    const Mesh k = mesh(m, o);
    check_mesh(m, k);
    double least = 1e9;
    for (const Element& e : k.elements)
        for (std::size_t i = 0; i < e.count; ++i)
            least = std::min(least, (k.nodes[static_cast<std::size_t>(e.nodes[i])] - k.nodes[static_cast<std::size_t>(e.nodes[(i + 1) % e.count])]).norm());
    EXPECT_GT(least, 5);
}

TEST(MeshRules, EdgesFarShorterThanElementsAreClosed) {
    // A plate with a step of 0.2 mm in its outline and a chamfer of 0.3 mm at a corner.
    const make::Solid s = make::extrude({make::polygon({{0, 0}, {100, 0}, {100, 59.7}, {99.7, 60}, {50, 60}, {50, 59.8}, {0, 59.8}})}, 3);
    const Assembly a = solids_of({{"part", s}});
    Model m = halve(a);
    join(m, a);
    MeshOptions o;
    o.size = 10;
    EXPECT_EQ(bridged_edges(m, o).size(), 2u);
    const Mesh closed = mesh(m, o);
    EXPECT_GT(closed.quality.min_scaled_jacobian, 0.9);
    EXPECT_EQ(closed.quality.quad_share, 1);
    double area = 0;
    for (const Element& e : closed.elements)
        for (std::size_t k = 1; k + 1 < e.count; ++k) {
            const auto at = [&](std::size_t i) { return closed.nodes[static_cast<std::size_t>(e.nodes[i])]; };
            area += 0.5 * (at(k) - at(0)).cross(at(k + 1) - at(0)).norm();
        }
    EXPECT_NEAR(area, total_area(m), 0.2 * 10 + 0.3 * 10);  // no further off than the edges are long
    o.bridge = 0;
    const Mesh kept = mesh(m, o);
    check_mesh(m, kept);
    EXPECT_LT(kept.quality.min_scaled_jacobian, closed.quality.min_scaled_jacobian);
}

TEST(MeshRules, WhatDidNotChangeKeepsItsNumbers) {
    const Folder f;
    make::write_step((f / "plates.step").string(), three_plates(0.4));
    spit(f / "plan.toml", "[source]\nfile = \"plates.step\"\n[join]\nreach = \"1 mm\"\n[mesh]\nsize = \"10 mm\"\n");
    ASSERT_EQ(halvo_command("run plan.toml --out out", f.path()).code, 0);
    const Job first = read_model(f / "out/model.halvo");
    // Another size for one of the three plates.
    std::string flange;
    for (const Sheet& s : first.model.sheets)
        if (first.solids.bodies[s.body.index()].name == "flange") flange = s.key;
    ASSERT_FALSE(flange.empty());
    spit(f / "plan.toml",
         "[source]\nfile = \"plates.step\"\n[join]\nreach = \"1 mm\"\n[mesh]\nsize = \"10 mm\"\n[[size]]\nid = \"" + flange + "\"\nsize = \"4 mm\"\n");
    const Ran again = halvo_command("run plan.toml --out out --from mesh --until mesh", f.path());
    ASSERT_EQ(again.code, 0) << again.err;
    const Job second = read_model(f / "out/model.halvo");
    EXPECT_GT(second.mesh.nodes.size(), first.mesh.nodes.size());
    // Nodes of the base, which does not touch the flange, are where they were under the numbers they had.
    int base = 0, same = 0;
    for (const Element& e : first.mesh.elements) {
        if (e.kind != ElementKind::shell || first.solids.bodies[e.body.index()].name != "base") continue;
        for (std::size_t k = 0; k < e.count; ++k) {
            const auto n = static_cast<std::size_t>(e.nodes[k]);
            ++base, same += first.mesh.nodes[n] == second.mesh.nodes[n];
        }
    }
    EXPECT_GT(base, 100);
    EXPECT_EQ(same, base);
    for (std::size_t i = 0; i < first.mesh.elements.size(); ++i) {
        const Element &a = first.mesh.elements[i], &b = second.mesh.elements[i];
        if (a.kind == ElementKind::shell && first.solids.bodies[a.body.index()].name == "base") {
            EXPECT_EQ(a.nodes, b.nodes);
        }
    }
    check_mesh(second.model, second.mesh);
}
