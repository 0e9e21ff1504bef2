#include "view/canvas.hpp"

#include <halvo/types.hpp>

#include <ft2build.h>
#include FT_FREETYPE_H
#include <png.h>

#include <unistd.h>
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <memory>
#include <mutex>

namespace halvo::view {
namespace {

class Font {
public:
    static Font& get(bool bold) {
        static Font plain("DejaVuSans.ttf"), heavy("DejaVuSans-Bold.ttf");
        return bold ? heavy : plain;
    }

    // Calls draw(x, y, coverage) for each pixel; returns the advance.
    template <class F>
    double run(const std::string& utf8, double size, F&& draw) {
        const std::lock_guard lock(guard_);
        FT_Set_Char_Size(face_, 0, static_cast<FT_F26Dot6>(size * 64), 72, 72);
        double pen = 0;
        for (std::size_t i = 0; i < utf8.size();) {
            const unsigned code = next(utf8, i);
            if (FT_Load_Char(face_, code, FT_LOAD_RENDER) != 0) continue;
            const FT_GlyphSlot g = face_->glyph;
            for (unsigned y = 0; y < g->bitmap.rows; ++y)
                for (unsigned x = 0; x < g->bitmap.width; ++x)
                    draw(pen + g->bitmap_left + x, static_cast<double>(y) - g->bitmap_top,
                         g->bitmap.buffer[y * static_cast<unsigned>(g->bitmap.pitch) + x] / 255.0);
            pen += static_cast<double>(g->advance.x) / 64;
        }
        return pen;
    }

private:
    explicit Font(const std::string& name) {
        const char* folder = std::getenv("HALVO_FONTS");
        const std::string file = (folder ? std::string(folder) : "/usr/share/fonts/truetype/dejavu") + "/" + name;
        if (FT_Init_FreeType(&library_) != 0 || FT_New_Face(library_, file.c_str(), 0, &face_) != 0)
            throw Error(ErrorKind::stage, file + ": font not found; install fonts-dejavu-core, or set HALVO_FONTS to its folder");
    }
    static unsigned next(const std::string& s, std::size_t& i) {
        const auto c = static_cast<unsigned char>(s[i++]);
        int more = c >= 0xF0 ? 3 : c >= 0xE0 ? 2 : c >= 0xC0 ? 1 : 0;
        unsigned code = more == 3 ? c & 7u : more == 2 ? c & 15u : more == 1 ? c & 31u : c;
        for (; more > 0 && i < s.size(); --more) code = (code << 6) | (static_cast<unsigned char>(s[i++]) & 63u);
        return code;
    }
    std::mutex guard_;
    FT_Library library_ = nullptr;
    FT_Face face_ = nullptr;
};

}  // namespace

Canvas::Canvas(int width, int height, Colour background) : width_(width), height_(height), rgb_(static_cast<std::size_t>(width) * height * 3) {
    rectangle(0, 0, width, height, background);
}

void Canvas::blend(int x, int y, Colour c, double cover) {
    if (x < 0 || y < 0 || x >= width_ || y >= height_ || cover <= 0) return;
    std::uint8_t* p = &rgb_[(static_cast<std::size_t>(y) * width_ + x) * 3];
    const double v[3] = {c.r, c.g, c.b};
    for (int k = 0; k < 3; ++k) p[k] = static_cast<std::uint8_t>(std::lround(p[k] * (1 - cover) + 255 * v[k] * cover));
}

void Canvas::rectangle(double x, double y, double w, double h, Colour c) {
    for (int j = std::max(0, static_cast<int>(y)); j < std::min<double>(height_, y + h); ++j)
        for (int i = std::max(0, static_cast<int>(x)); i < std::min<double>(width_, x + w); ++i) blend(i, j, c, 1);
}

void Canvas::line(double x0, double y0, double x1, double y1, double width, Colour c, bool dashed) {
    const double length = std::hypot(x1 - x0, y1 - y0), r = width / 2;
    if (length <= 0) return;
    for (int j = static_cast<int>(std::min(y0, y1) - r - 1); j <= std::max(y0, y1) + r + 1; ++j)
        for (int i = static_cast<int>(std::min(x0, x1) - r - 1); i <= std::max(x0, x1) + r + 1; ++i) {
            const double along = ((i - x0) * (x1 - x0) + (j - y0) * (y1 - y0)) / length;
            const double off = std::abs((i - x0) * (y1 - y0) - (j - y0) * (x1 - x0)) / length;
            if (along < 0 || along > length || (dashed && std::fmod(along, 9) > 5)) continue;
            blend(i, j, c, std::clamp(r + 0.5 - off, 0.0, 1.0));
        }
}

void Canvas::disc(double x, double y, double radius, Colour c) {
    for (int j = static_cast<int>(y - radius - 1); j <= y + radius + 1; ++j)
        for (int i = static_cast<int>(x - radius - 1); i <= x + radius + 1; ++i) blend(i, j, c, std::clamp(radius + 0.5 - std::hypot(i - x, j - y), 0.0, 1.0));
}

double Canvas::text(double x, double y, const std::string& utf8, double size, Colour c, bool bold) {
    return Font::get(bold).run(
        utf8, size, [&](double px, double py, double cover) { blend(static_cast<int>(std::lround(x + px)), static_cast<int>(std::lround(y + py)), c, cover); });
}

double Canvas::text_width(const std::string& utf8, double size, bool bold) const {
    return Font::get(bold).run(utf8, size, [](double, double, double) {});
}

void Canvas::paste(const std::vector<std::uint8_t>& rgba, int width, int height, int factor, int left, int top) {
    for (int j = 0; j < height / factor; ++j)
        for (int i = 0; i < width / factor; ++i) {
            double sum[3] = {0, 0, 0};
            for (int b = 0; b < factor; ++b)
                for (int a = 0; a < factor; ++a)
                    for (int k = 0; k < 3; ++k)
                        // The renderer's first row is at the bottom.
                        sum[k] += rgba[(static_cast<std::size_t>(height - 1 - (j * factor + b)) * width + static_cast<std::size_t>(i) * factor + a) * 4 + k];
            const double n = 255.0 * factor * factor;
            blend(left + i, top + j, {sum[0] / n, sum[1] / n, sum[2] / n}, 1);
        }
}

void Canvas::save(const std::filesystem::path& file) const {
    const std::string part = file.string() + ".part" + std::to_string(::getpid());
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    image.width = static_cast<png_uint_32>(width_), image.height = static_cast<png_uint_32>(height_);
    image.format = PNG_FORMAT_RGB;
    std::error_code ec;
    if (png_image_write_to_file(&image, part.c_str(), 0, rgb_.data(), 0, nullptr) == 0 || (std::filesystem::rename(part, file, ec), ec)) {
        std::filesystem::remove(part, ec);
        throw Error(ErrorKind::input, file.string() + ": the picture cannot be written; check the folder and its permissions");
    }
}

std::string Canvas::png() const {
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    image.width = static_cast<png_uint_32>(width_), image.height = static_cast<png_uint_32>(height_);
    image.format = PNG_FORMAT_RGB;
    png_alloc_size_t size = 0;
    std::string out;
    if (png_image_write_to_memory(&image, nullptr, &size, 0, rgb_.data(), 0, nullptr) != 0) {
        out.resize(size);
        if (png_image_write_to_memory(&image, out.data(), &size, 0, rgb_.data(), 0, nullptr) != 0) {
            out.resize(size);
            return out;
        }
    }
    throw Error(ErrorKind::stage, "a picture cannot be packed; memory ran out");
}

}  // namespace halvo::view
