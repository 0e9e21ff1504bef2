// Pictures: they are drawn without a display, differ where what they show differs, and show what they should.
#include "support.hpp"
#include "view/arrows.hpp"
#include "view/palette.hpp"
#include "view/scene.hpp"

#include <gtest/gtest.h>
#include <png.h>

using namespace test;

namespace {

struct Picture {
    unsigned width = 0, height = 0;
    std::vector<std::uint8_t> rgb;
    [[nodiscard]] const std::uint8_t* at(unsigned x, unsigned y) const { return &rgb[(static_cast<std::size_t>(y) * width + x) * 3]; }
};

Picture load(const fs::path& file) {
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    EXPECT_NE(png_image_begin_read_from_file(&image, file.c_str()), 0);
    image.format = PNG_FORMAT_RGB;
    Picture p{image.width, image.height, std::vector<std::uint8_t>(PNG_IMAGE_SIZE(image))};
    EXPECT_NE(png_image_finish_read(&image, nullptr, p.rgb.data(), 0, nullptr), 0);
    return p;
}

// Share of the scene's pixels that are near a colour.
double share_of(const Picture& p, const view::Colour& c, int slack) {
    std::size_t n = 0, all = 0;
    for (unsigned y = 60; y < p.height - 70; ++y)
        for (unsigned x = 0; x < p.width - 240; ++x, ++all) {
            const auto* q = p.at(x, y);
            if (std::abs(q[0] - 255 * c.r) < slack && std::abs(q[1] - 255 * c.g) < slack && std::abs(q[2] - 255 * c.b) < slack) ++n;
        }
    return static_cast<double>(n) / static_cast<double>(all);
}

Job tee() {
    Plan plan;
    plan.mesh.size = 20;
    return job_of(make::unify(make::fuse({make::box({0, 0, 0}, {200, 120, 8}), make::box({0, 57, 8}, {200, 6, 70})})), plan);
}

}  // namespace

TEST(Draw, PictureHasItsSizeAndIsNotEmpty) {
    const Folder folder;
    const Job j = tee();
    draw(folder / "a.png", j);
    const Picture p = load(folder / "a.png");
    EXPECT_EQ(p.width, 1280u);
    EXPECT_EQ(p.height, 800u);
    EXPECT_LT(share_of(p, view::paper, 8), 0.9) << "the scene shows something";
    EXPECT_GT(share_of(p, view::paper, 8), 0.2) << "on paper";
}

TEST(Draw, EdgeKindsShowInTheirColours) {
    const Folder folder;
    DrawOptions o;
    o.colour = DrawOptions::Colour::edges;
    draw(folder / "e.png", tee(), o);
    const Picture p = load(folder / "e.png");
    EXPECT_GT(share_of(p, view::free_edge, 12), 1e-3);
    EXPECT_GT(share_of(p, view::three_sheets, 12), 3e-4);
    EXPECT_LT(share_of(p, view::four_sheets, 12), 1e-5) << "there is no cross in a tee";
}

TEST(Draw, EveryModeIsAnotherPicture) {
    const Folder folder;
    const Job j = tee();
    std::vector<std::vector<std::uint8_t>> seen;
    for (const auto colour : {DrawOptions::Colour::body, DrawOptions::Colour::thickness, DrawOptions::Colour::edges, DrawOptions::Colour::quality})
        for (const bool real : {false, true}) {
            DrawOptions o;
            o.colour = colour, o.real_thickness = real;
            draw(folder / "x.png", j, o);
            seen.push_back(load(folder / "x.png").rgb);
        }
    DrawOptions solid;
    solid.solid = true;
    draw(folder / "s.png", j, solid);
    seen.push_back(load(folder / "s.png").rgb);
    for (std::size_t i = 0; i < seen.size(); ++i)
        for (std::size_t k = i + 1; k < seen.size(); ++k) EXPECT_NE(seen[i], seen[k]) << i << " " << k;
}

TEST(Draw, FieldMapRisesEvenlyInLightness) {
    const auto lightness = [](const view::Colour& c) {
        const auto linear = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
        const double y = 0.2126 * linear(c.r) + 0.7152 * linear(c.g) + 0.0722 * linear(c.b);
        return 116 * std::cbrt(y) - 16;
    };
    double last = lightness(view::field(0));
    for (int i = 1; i <= 20; ++i) {
        const double l = lightness(view::field(i / 20.0));
        EXPECT_NEAR(l - last, 64.0 / 20, 1.2) << i;
        last = l;
    }
}

TEST(Draw, CommandDrawsFileAndModel) {
    const Folder folder;
    const std::string shelf = "'" HALVO_SOURCE "/demo/shelf.step'";
    EXPECT_EQ(halvo_command("draw " + shelf + " -o '" + (folder / "s.png").string() + "'").code, 0);
    EXPECT_EQ(halvo_command("draw " + shelf + " --show mesh --set mesh.size=20 -o '" + (folder / "m.png").string() + "'").code, 0);
    EXPECT_NE(load(folder / "s.png").rgb, load(folder / "m.png").rgb);
    EXPECT_EQ(halvo_command("draw " + shelf + " --colour mood -o x.png").code, 2);
    ASSERT_EQ(halvo_command("run " + shelf + " --until join --out '" + (folder / "out").string() + "'").code, 0);
    EXPECT_EQ(halvo_command("draw '" + (folder / "out" / "model.halvo").string() + "' -o '" + (folder / "x.png").string() + "'").code, 2) << "no mesh yet";
    EXPECT_FALSE(fs::exists(folder / "x.png"));
}

// A cut keeps the area on its side, wherever it runs through triangles, and the length of lines.
TEST(Draw, SectionKeepsWhatLiesOnItsSide) {
    view::Scene scene;
    for (int i = 0; i < 10; ++i)
        for (int k = 0; k < 10; ++k) {
            const Vec3 o(i, k, 0.1 * i), x(1, 0, 0.1), y(0, 1, 0);
            scene.triangles.push_back({o, o + x, o + x + y, view::neutral}), scene.triangles.push_back({o, o + x + y, o + y, view::neutral});
        }
    scene.lines.push_back({{Vec3(0, 0, 0), Vec3(4, 0, 0), Vec3(10, 0, 0)}, view::ink, 1, false, false});
    const auto area = [&] {
        double sum = 0;
        for (const view::SceneTriangle& t : scene.triangles) sum += 0.5 * (t.b - t.a).cross(t.c - t.a).norm();
        return sum;
    };
    const double whole = area();
    scene.cut(Vec3(3.7, 0, 0), Vec3::UnitX());
    EXPECT_NEAR(area(), 0.37 * whole, 1e-9);
    ASSERT_EQ(scene.lines.size(), 1U);
    EXPECT_NEAR((scene.lines[0].points.back() - scene.lines[0].points.front()).norm(), 3.7, 1e-12);
    scene.cut(Vec3(0, 5, 0), Vec3(0, -1, 0));
    EXPECT_NEAR(area(), 0.185 * whole, 1e-9);
    EXPECT_TRUE(scene.lines.empty());
    scene.cut(Vec3(50, 0, 0), Vec3::UnitX());
    EXPECT_NEAR(area(), 0.185 * whole, 1e-9);
}

// Arrows of forces close together are their sum: nothing of the load is lost.
TEST(Draw, ArrowsKeepTheLoad) {
    std::vector<Vec3> nodes;
    for (int i = 0; i < 400; ++i) nodes.emplace_back(std::cos(0.1 * i) * i, std::sin(0.1 * i) * i, 0.3 * i);
    Eigen::VectorXd forces = Eigen::VectorXd::Zero(2400);
    Vec3 sum = Vec3::Zero(), moment = Vec3::Zero();
    for (Eigen::Index i = 0; i < 400; i += 3) {
        forces.segment<3>(6 * i) = Vec3(1, 0.01 * static_cast<double>(i), -2), forces.segment<3>(6 * i + 3) = Vec3(0, 5, 1);
        sum += forces.segment<3>(6 * i), moment += forces.segment<3>(6 * i + 3);
    }
    const auto arrows = view::force_arrows(nodes, forces, 1000);
    EXPECT_LT(arrows.size(), 134U);
    for (const view::ForceArrow& a : arrows) sum -= a.force, moment -= a.moment;
    EXPECT_LT(sum.norm() + moment.norm(), 1e-9);
    EXPECT_TRUE(view::force_arrows(nodes, Eigen::VectorXd(), 1000).empty());
}
