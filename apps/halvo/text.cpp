#include "text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

using namespace halvo;

namespace {

// Columns on the screen: UTF-8 continuation bytes take none.
std::size_t width_of(const std::string& s) {
    return static_cast<std::size_t>(std::count_if(s.begin(), s.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }));
}

}  // namespace

void Table::print() const {
    if (empty()) {
        fmt::print("  (none)\n");
        return;
    }
    std::vector<std::size_t> width(rows_[0].size(), 0);
    for (const auto& r : rows_)
        for (std::size_t i = 0; i < r.size(); ++i) width[i] = std::max(width[i], width_of(r[i]));
    for (const auto& r : rows_) {
        std::string line = " ";
        for (std::size_t i = 0; i < r.size(); ++i) {
            const std::string pad(width[i] - width_of(r[i]), ' ');
            line += " " + (numeric(i) ? pad + r[i] : r[i] + pad);
        }
        line.erase(line.find_last_not_of(' ') + 1);
        fmt::print("{}\n", line);
    }
}

bool Table::numeric(std::size_t column) const {
    return std::all_of(rows_.begin() + 1, rows_.end(),
                       [&](const auto& r) { return r[column].empty() || r[column].find_first_not_of("0123456789.+-e% x") == std::string::npos; });
}

std::string number(double v) {
    const double a = std::abs(v);
    if (a >= 1e6) return fmt::format("{:.4e}", v);
    if (a >= 1000) return fmt::format("{:.0f}", v);
    if (a >= 100) return fmt::format("{:.1f}", v);
    return fmt::format("{:.2f}", v);
}

double rounded(double v) {
    return std::round(v * 100) / 100 + 0.0;
}

std::string at(const Vec3& p, const Vec3& shift) {
    const Vec3 q = p + shift;
    const auto tidy = [](double v) { return std::round(v * 10) / 10 + 0.0; };
    return fmt::format("({:.1f}, {:.1f}, {:.1f})", tidy(q.x()), tidy(q.y()), tidy(q.z()));
}

std::string thickness(double low, double high) {
    if (high <= 0) return "";
    if (high - low <= 0.005 * high) return number(high);
    return number(low) + "-" + number(high);
}

std::string count(double n) {
    if (n >= 1e6) return fmt::format("{:.3g} million", n / 1e6);
    if (n >= 1e4) return fmt::format("{:.0f} {:03.0f}", std::floor(n / 1000), std::fmod(std::floor(n / 100) * 100, 1000));
    return fmt::format("{:.0f}", n);
}

void print_groups(const std::vector<FindingGroup>& groups, const Vec3& shift, std::size_t most, const std::string& model) {
    for (std::size_t i = 0; i < groups.size() && i < most; ++i) {
        const Finding& f = groups[i].findings[0];
        fmt::print("  {}. {}: {}\n     at {}; {}  [{}]\n", i + 1, kind_name(f.kind), groups[i].about, at(f.place, shift), f.advice, f.key);
    }
    if (groups.size() > most) fmt::print("  and {} more kinds; halvo list {} findings\n", groups.size() - most, model);
}

void print_findings(const std::vector<Finding>& findings, const Vec3& shift) {
    for (std::size_t i = 0; i < findings.size(); ++i) {
        const Finding& f = findings[i];
        fmt::print("  {}. {}: {}\n     at {}; {}  [{}]\n", i + 1, kind_name(f.kind), f.about, at(f.place, shift), f.advice, f.key);
    }
}
