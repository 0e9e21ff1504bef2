#pragma once
#include <halvo/run.hpp>

/// Aligned text for a terminal.

/// Rows of cells, columns as wide as their widest cell; columns of numbers to the right.
class Table {
public:
    explicit Table(std::vector<std::string> heads) : rows_{std::move(heads)} {}
    void row(std::vector<std::string> cells) { rows_.push_back(std::move(cells)); }
    [[nodiscard]] bool empty() const { return rows_.size() == 1; }
    void print() const;

private:
    [[nodiscard]] bool numeric(std::size_t column) const;
    std::vector<std::vector<std::string>> rows_;
};

[[nodiscard]] std::string number(double v);
/// To two decimals, without a minus sign before zero.
[[nodiscard]] double rounded(double v);
[[nodiscard]] std::string at(const halvo::Vec3& p, const halvo::Vec3& shift);
[[nodiscard]] std::string thickness(double low, double high);
/// Of estimates, cut to the hundred: "6.36 million", "48 200".
[[nodiscard]] std::string count(double n);
/// One entry for each place or cause, at most so many; `model` has the rest.
void print_groups(const std::vector<halvo::FindingGroup>& groups, const halvo::Vec3& shift, std::size_t most, const std::string& model);
void print_findings(const std::vector<halvo::Finding>& findings, const halvo::Vec3& shift);
