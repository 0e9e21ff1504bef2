// A study as a page of small plots, one a figure, over the key that is varied.
#include <halvo/draw.hpp>

#include "view/canvas.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

using namespace view;

struct Panel {
    double x, y, width, height;
};

std::string short_number(double v) {
    return fmt::format("{:.4g}", v);
}

std::string fitted(const Canvas& c, std::string text, double width, double size) {
    while (text.size() > 6 && c.text_width(text, size, false) > width) text = text.substr(0, text.size() - 4) + "...";
    return text;
}

// Runs along the first key; further keys are lines of their own.
void draw_panel(Canvas& c, const Panel& p, const Study& s, const StudyFigure& f) {
    const double left = p.x + 62, right = p.x + p.width - 18, top = p.y + 46, bottom = p.y + p.height - 34;
    c.text(p.x + 8, p.y + 16, fitted(c, f.name, p.width - 16, 12.5), 12.5, ink, true);
    c.text(p.x + 8, p.y + 32, f.limit ? fmt::format("{}; tends to {}, order {:.1f}", f.unit, short_number(*f.limit), *f.order) : f.unit, 11, faint);
    std::vector<double> xs;
    for (const auto& run : s.runs) xs.push_back(std::strtod(run[0].c_str(), nullptr));
    double low = std::numeric_limits<double>::max(), high = -low;
    for (const double v : f.values)
        if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
    if (f.limit) low = std::min(low, *f.limit), high = std::max(high, *f.limit);
    if (low > high) return;
    const double least_span = 1e-9 + 1e-6 * std::max(std::abs(low), std::abs(high));
    if (high - low < least_span) low -= 0.5 * least_span + 0.01 * std::abs(low), high += 0.5 * least_span + 0.01 * std::abs(high);
    const double x_low = *std::min_element(xs.begin(), xs.end()), x_high = *std::max_element(xs.begin(), xs.end());
    const double x_span = x_high > x_low ? x_high - x_low : 1;
    const auto px = [&](double v) { return left + (right - left) * (v - x_low) / x_span; };
    const auto py = [&](double v) { return bottom - (bottom - top) * (v - low) / (high - low); };
    c.line(left, bottom, right, bottom, 1.2, ink), c.line(left, top, left, bottom, 1.2, ink);
    for (const double v : {low, 0.5 * (low + high), high}) {
        c.line(left - 4, py(v), left, py(v), 1, ink);
        const std::string t = short_number(v);
        c.text(left - 8 - c.text_width(t, 10.5), py(v) + 4, t, 10.5, ink);
    }
    double last = -1e9;
    for (std::size_t i = 0; i < s.varied[0].values.size(); ++i) {
        const double x = px(std::strtod(s.varied[0].values[i].c_str(), nullptr));
        c.line(x, bottom, x, bottom + 4, 1, ink);
        const double w = c.text_width(s.varied[0].values[i], 10.5);
        if (std::abs(x - last) < w + 8) continue;
        c.text(std::min(x - w / 2, p.x + p.width - w - 4), bottom + 17, s.varied[0].values[i], 10.5, ink), last = x;
    }
    if (f.limit) c.line(left, py(*f.limit), right, py(*f.limit), 1.2, free_edge, true);
    // Each combination of the further keys is a line.
    std::vector<std::vector<std::string>> lines;
    for (const auto& run : s.runs) {
        const std::vector<std::string> rest(run.begin() + 1, run.end());
        if (std::find(lines.begin(), lines.end(), rest) == lines.end()) lines.push_back(rest);
    }
    for (std::size_t l = 0; l < lines.size(); ++l) {
        std::vector<std::pair<double, double>> points;
        for (std::size_t i = 0; i < s.runs.size(); ++i)
            if (std::vector<std::string>(s.runs[i].begin() + 1, s.runs[i].end()) == lines[l] && std::isfinite(f.values[i]))
                points.emplace_back(xs[i], f.values[i]);
        std::sort(points.begin(), points.end());
        const Colour colour = category(static_cast<int>(l));
        for (std::size_t i = 0; i + 1 < points.size(); ++i)
            c.line(px(points[i].first), py(points[i].second), px(points[i + 1].first), py(points[i + 1].second), 1.8, colour, l % 2 == 1);
        for (const auto& [x, y] : points) c.disc(px(x), py(y), 3, colour);
        if (lines.size() > 1 && !points.empty())
            c.text(px(points.back().first) - 30, py(points.back().second) - 6, fmt::format("{}", fmt::join(lines[l], ", ")), 10, colour);
    }
}

}  // namespace

void draw_study(const std::filesystem::path& file, const Study& s, const std::string& title) {
    constexpr int width = 1280, head = 64, columns = 3, most = 12;
    std::vector<const StudyFigure*> shown;
    for (const StudyFigure& f : s.figures)
        if (f.name != "unknowns" && shown.size() < most) shown.push_back(&f);
    const int rows = std::max(1, (static_cast<int>(shown.size()) + columns - 1) / columns);
    const int height = std::max(800, head + rows * 184 + 30);
    Canvas c(width, height, paper);
    c.text(22, 36, title, 20, ink, true);
    c.line(22, head - 14, width - 22, head - 14, 1, faint);
    const double w = (width - 44.0) / columns, h = (height - head - 40.0) / rows;
    for (std::size_t i = 0; i < shown.size(); ++i)
        draw_panel(c, {22 + w * static_cast<double>(i % columns), head + h * std::floor(static_cast<double>(i) / columns), w, h}, s, *shown[i]);
    std::string keys;
    for (const Variation& v : s.varied) keys += (keys.empty() ? "over " : " and ") + v.key;
    if (s.figures.size() > most + 1) keys += fmt::format("; {} more figures in the table", s.figures.size() - 1 - most);
    c.text(22, height - 16, keys, 12.5, ink);
    c.save(file);
}

}  // namespace halvo
