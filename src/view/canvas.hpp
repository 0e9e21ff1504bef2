#pragma once
#include "view/palette.hpp"

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace halvo::view {

/// A picture in memory with text and simple shapes; origin at the top left.
class Canvas {
public:
    Canvas(int width, int height, Colour background);
    void rectangle(double x, double y, double w, double h, Colour c);
    void line(double x0, double y0, double x1, double y1, double width, Colour c, bool dashed = false);
    void disc(double x, double y, double radius, Colour c);
    /// Text with its baseline's left end at (x, y); returns the width drawn.
    double text(double x, double y, const std::string& utf8, double size, Colour c, bool bold = false);
    [[nodiscard]] double text_width(const std::string& utf8, double size, bool bold = false) const;
    /// Copies an RGBA picture `factor` times as large, averaging.
    void paste(const std::vector<std::uint8_t>& rgba, int width, int height, int factor, int left, int top);
    void save(const std::filesystem::path& file) const;
    /// The bytes of a PNG file.
    [[nodiscard]] std::string png() const;

private:
    void blend(int x, int y, Colour c, double cover);
    int width_, height_;
    std::vector<std::uint8_t> rgb_;
};

}  // namespace halvo::view
