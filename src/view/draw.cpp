#include <halvo/draw.hpp>
#include <halvo/quality.hpp>

#include "view/canvas.hpp"
#include "view/content.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

using namespace view;

constexpr int panel = 236, head = 56, foot = 64, supersampling = 2;

std::string number(double v, double range) {
    // Digits as the range needs them: thickness and quality in hundredths, results of any size.
    if (range > 0 && (range < 0.01 || range >= 1e5)) return fmt::format("{:.3g}", std::abs(v) < 1e-9 * range ? 0.0 : v);
    return std::abs(v) >= 100 && range > 2 ? fmt::format("{:.0f}", v) : fmt::format("{:.{}f}", v, range < 0.1 ? 3 : 2);
}

std::string at(const Vec3& p, const Vec3& shift) {
    const Vec3 q = (p + shift).unaryExpr([](double v) { return std::abs(v) < 0.5 ? 0.0 : v; });
    return fmt::format("({:.0f}, {:.0f}, {:.0f}) mm", q.x(), q.y(), q.z());
}

// One line each, cut where the panel ends; what does not fit below is counted.
void draw_list(Canvas& c, double x, double y, double bottom, const std::vector<std::string>& lines) {
    constexpr double width = panel - 30;
    const double step = lines.size() > 14 ? 14 : 18;
    for (std::size_t i = 0; i < lines.size(); ++i) {
        if (y > bottom - (i + 1 < lines.size() ? step : 0)) {
            c.text(x, y, fmt::format("and {} more", lines.size() - i), 11, faint);
            return;
        }
        std::string line = lines[i];
        while (c.text_width(line, 11, false) > width && line.size() > 8) line = line.substr(0, line.size() - 4) + "...";
        c.text(x, y, line, 11, ink);
        y += step;
    }
}

// A vertical scale of the field map with round ticks.
void draw_scale(Canvas& c, double x, double y, double height, const Scale& s) {
    c.text(x, y - 34, s.name, 14, ink, true);
    c.text(x, y - 16, s.unit, 12, faint);
    for (int i = 0; i < height; ++i) c.rectangle(x, y + i, 26, 1, field(1 - i / height));
    std::vector<double> ticks = s.values;
    if (ticks.empty() || ticks.size() > 12) {
        ticks.clear();
        for (int i = 0; i <= 5; ++i) ticks.push_back(s.low + (s.high - s.low) * i / 5);
    }
    double last = 1e9;
    for (std::size_t i = ticks.size(); i-- > 0;) {
        const double share = s.high > s.low ? (ticks[i] - s.low) / (s.high - s.low) : 0.5;
        const double ty = y + (1 - share) * height;
        c.line(x + 26, ty, x + 32, ty, 1.2, ink);
        // The ends of the scale are always named.
        if (std::abs(ty - last) < 15 || (i > 0 && y + height - ty < 15 && ticks.front() <= s.low)) continue;
        c.text(x + 37, ty + 4, number(ticks[i], s.high - s.low), 12.5, ink);
        last = ty;
    }
}

// Where the next line would go.
double draw_legend(Canvas& c, double x, double y, const std::vector<LegendLine>& lines) {
    for (const LegendLine& l : lines) {
        if (l.area) {
            c.rectangle(x, y - 10, 26, 13, l.colour);
        } else {
            c.line(x, y - 4, x + 30, y - 4, std::max(1.5, l.width), l.colour, l.dashed);
        }
        c.text(x + 38, y, l.text, 12.5, ink);
        if (!l.note.empty()) c.text(x + 38, y + 15, l.note, 11, faint);
        y += l.note.empty() ? 24 : 38;
    }
    return y;
}

void draw_axes(Canvas& c, const Scene::View& v, double x, double y) {
    const std::array<std::pair<Vec3, const char*>, 3> axes = {{{Vec3::UnitX(), "x"}, {Vec3::UnitY(), "y"}, {Vec3::UnitZ(), "z"}}};
    for (const auto& [d, name] : axes) {
        const double dx = 34 * v.right.dot(d), dy = -34 * v.up.dot(d);
        c.line(x, y, x + dx, y + dy, 1.6, ink);
        c.text(x + 1.25 * dx - 4, y + 1.25 * dy + 4, name, 12, ink);
    }
}

// A bar of round length.
void draw_ruler(Canvas& c, const Scene::View& v, double x, double y) {
    const double wanted = 130 / v.scale;
    const double power = std::pow(10, std::floor(std::log10(wanted)));
    double length = power;
    for (double k : {2.0, 5.0})
        if (k * power <= wanted) length = k * power;
    const double w = length * v.scale;
    c.line(x, y, x + w, y, 2, ink);
    c.line(x, y - 4, x, y + 4, 1.5, ink), c.line(x + w, y - 4, x + w, y + 4, 1.5, ink);
    c.text(x, y - 8, fmt::format("{:g} mm", length), 11.5, ink);
}

// Marks that would cover each other share one flag.
void draw_marks(Canvas& c, const Scene::View& v, const std::vector<Mark>& marks) {
    struct Flag {
        Vec2 at;
        std::string text;
    };
    std::vector<Flag> flags;
    for (const Mark& m : marks) {
        const Vec2 p = v.pixel(m.place) + Vec2(0, head);
        if (p.x() < 0 || p.x() > v.width || p.y() < head || p.y() > head + v.height) continue;  // outside a close-up
        const auto near =
            std::find_if(flags.begin(), flags.end(), [&](const Flag& f) { return std::abs(f.at.x() - p.x()) < 16 && std::abs(f.at.y() - p.y()) < 19; });
        if (near == flags.end()) flags.push_back({p, m.text});
        else near->text += ", " + m.text;
    }
    // From the lowest up, each as high as it must be to cover none before it.
    std::stable_sort(flags.begin(), flags.end(), [](const Flag& a, const Flag& b) { return a.at.y() > b.at.y(); });
    std::vector<Box2> taken;
    for (const Flag& f : flags) {
        constexpr int most_raised = 12;
        const double w = c.text_width(f.text, 12, true) + 10;
        Box2 box(Vec2(f.at.x() + 12, f.at.y() - 38), Vec2(f.at.x() + 12 + w, f.at.y() - 20));
        for (int k = 0; k < most_raised; ++k) {
            const auto covers = [&](const Box2& t) { return !t.intersection(box).isEmpty(); };
            if (std::none_of(taken.begin(), taken.end(), covers)) break;
            box.translate(Vec2(0, -20));
        }
        taken.push_back(box);
        c.line(f.at.x(), f.at.y(), f.at.x() + 16, box.max().y() - 2, 1.5, ink);
        c.disc(f.at.x(), f.at.y(), 3.2, ink);
    }
    for (std::size_t k = 0; k < flags.size(); ++k) {
        const Box2& box = taken[k];
        c.rectangle(box.min().x(), box.min().y(), box.sizes().x(), 18, ink);
        c.text(box.min().x() + 5, box.min().y() + 13, flags[k].text, 12, paper, true);
    }
}

// Turns the view of everything into that of one place.
void close_up(Scene::View& view, const Job& job, const DrawOptions& o, Content& content) {
    if (!o.worst && !o.at) return;
    Vec3 place = o.at ? Vec3(*o.at - job.solids.shift) : Vec3::Zero();
    double span = o.span;
    if (o.worst) {
        const QualityReport r = assess(job.mesh, job.plan.mesh.limits);
        if (r.worst.empty()) throw Error(ErrorKind::usage, "there are no elements; run the model on with --from mesh");
        place = r.worst[0].place;
        const Element& e = job.mesh.elements[static_cast<std::size_t>(r.worst[0].element)];
        if (span <= 0) span = 12 * measures(job.mesh, e).longest;
        content.marks = {{place, fmt::format("{:.2f}", r.worst[0].scaled_jacobian)}};
        content.title = fmt::format("{}: the worst element, scaled Jacobian {:.3f}", job.solids.file, r.worst[0].scaled_jacobian);
        content.captions = {
            fmt::format("element {} of sheet {} at {}", r.worst[0].element, job.model.sheets[e.sheet.index()].key, at(place, job.solids.shift))};
    }
    if (span <= 0) span = 0.1 * view.height / view.scale;
    view.centre = Vec2(view.right.dot(place), view.up.dot(place));
    view.scale = view.height / span;
}

}  // namespace

namespace {

// Two views of one place side by side.
Canvas drawn_gap(const Job& job, DrawOptions options) {
    Content after = compose(job, options), before = compose_before(job);
    // The caption speaks of the joint there.
    if (!options.at) options.at = widest_gap(job) + job.solids.shift;
    const Vec3 place = *options.at - job.solids.shift;
    const auto near = std::min_element(job.model.joints.begin(), job.model.joints.end(),
                                       [&](const JointRecord& a, const JointRecord& b) { return (a.place - place).norm() < (b.place - place).norm(); });
    Canvas c(options.width, options.height, paper);
    const int half = (options.width - panel) / 2 - 8;
    if (options.span <= 0) {
        double thick = 0;
        for (const Sheet& s : job.model.sheets) thick = std::max(thick, s.thickness.max);
        for (const Section& s : job.model.sections) thick = std::max(thick, 0.5 * s.depth);
        options.span = 14 * thick;
    }
    int left = 0;
    for (Content* content : {&before, &after}) {
        content->scene.azimuth = options.azimuth, content->scene.elevation = options.elevation;
        Scene::View view = content->scene.fit(half, options.height - head - foot);
        close_up(view, job, options, *content);
        c.paste(content->scene.render(view, supersampling), view.width * supersampling, view.height * supersampling, supersampling, left, head);
        c.text(left + 24, head + 22, content == &before ? "before: as halved" : "after: joined", 15, ink, true);
        if (content == &before) draw_axes(c, view, 60, options.height - foot - 26), draw_ruler(c, view, 130, options.height - foot - 12);
        left += half + 16;
    }
    c.line(half + 8, head + 4, half + 8, options.height - foot - 4, 1, faint);
    c.text(22, 36, options.title.empty() ? fmt::format("{}: a gap before and after joining", job.solids.file) : options.title, 20, ink, true);
    c.line(22, head - 6, options.width - 22, head - 6, 1, faint);
    draw_legend(c, options.width - panel + 20, head + 60, after.legend);
    if (near != job.model.joints.end())
        c.text(22, options.height - foot + 24,
               fmt::format("{} at {}: gap of the solids {:.2f} mm, midsurface or line carried on by {:.2f} mm{}", kind_name(near->kind),
                           at(near->place, job.solids.shift), near->gap, near->moved, near->length > 0 ? fmt::format(", {:.1f} mm long", near->length) : ""),
               12.5, ink);
    return c;
}

Canvas drawn(const Job& job, const DrawOptions& options) {
    if (options.width < 480 || options.height < 320 || options.width > 8192 || options.height > 8192)
        throw Error(ErrorKind::usage, "picture size must lie between 480 x 320 and 8192 x 8192");
    if (options.colour == DrawOptions::Colour::gap && !options.solid && !options.survey) return drawn_gap(job, options);
    Content content = options.survey                                    ? compose_survey(job)
                      : options.colour == DrawOptions::Colour::features ? compose_features(job)
                      : options.colour == DrawOptions::Colour::findings ? compose_findings(job)
                      : options.colour == DrawOptions::Colour::coverage ? compose_coverage(job)
                      : options.colour == DrawOptions::Colour::result   ? compose_result(job, options)
                                                                        : compose(job, options);
    if (content.scene.triangles.empty() && content.scene.lines.empty())
        throw Error(ErrorKind::usage, "there is nothing to draw: the file holds no model; run it first, or draw --show solid");
    content.scene.azimuth = options.azimuth, content.scene.elevation = options.elevation;
    if (options.section) {
        const Vec3 point = (*options.section)[0] - job.solids.shift, direction = (*options.section)[1].normalized();
        content.scene.cut(point, direction);
        std::erase_if(content.marks, [&](const Mark& m) { return (m.place - point).dot(direction) > 0; });
        if (content.scene.triangles.empty() && content.scene.lines.empty())
            throw Error(ErrorKind::usage, "nothing lies on this side of the section; give another place");
        const Vec3& p = (*options.section)[0];
        content.captions.push_back(fmt::format("section view through ({:.1f}, {:.1f}, {:.1f}): what lies beyond in ({:.3g}, {:.3g}, {:.3g}) is cut away", p.x(),
                                               p.y(), p.z(), direction.x(), direction.y(), direction.z()));
    }
    Scene::View view = content.scene.fit(options.width - panel, options.height - head - foot);
    close_up(view, job, options, content);
    Canvas c(options.width, options.height, paper);
    c.paste(content.scene.render(view, supersampling), view.width * supersampling, view.height * supersampling, supersampling, 0, head);
    c.text(22, 36, options.title.empty() ? content.title : options.title, 20, ink, true);
    c.line(22, head - 6, options.width - 22, head - 6, 1, faint);
    draw_marks(c, view, content.marks);
    const double x = options.width - panel + 20;
    double y = head + 60;
    if (content.scale) {
        draw_scale(c, x, y, 250, *content.scale);
        y += 300;
    }
    draw_list(c, x, draw_legend(c, x, y, content.legend) + 8, options.height - foot - 10, content.list);
    draw_axes(c, view, 60, options.height - foot - 26);
    draw_ruler(c, view, 130, options.height - foot - 12);
    double line = options.height - foot + 24;
    for (const std::string& s : content.captions) {
        c.text(22, line, s, 12.5, ink);
        line += 19;
    }
    return c;
}

}  // namespace

void draw(const std::filesystem::path& file, const Job& job, const DrawOptions& options) {
    drawn(job, options).save(file);
}

std::string picture(const Job& job, const DrawOptions& options) {
    return drawn(job, options).png();
}

namespace view {

std::string place_text(const Vec3& p, const Vec3& shift) {
    return at(p, shift);
}

}  // namespace view
}  // namespace halvo
