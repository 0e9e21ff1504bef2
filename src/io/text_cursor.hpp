#pragma once
#include <halvo/types.hpp>

#include <charconv>
#include <cmath>
#include <optional>
#include <string>
#include <string_view>

namespace halvo::io {

/// Words of a text, line by line, with the line number for messages.
class TextCursor {
public:
    explicit TextCursor(std::string_view text) : text_(text) {}
    [[nodiscard]] std::size_t line() const { return line_; }
    [[nodiscard]] std::size_t position() const { return at_; }

    /// Next word of this line; empty at its end.
    std::string_view word() {
        while (at_ < text_.size() && (text_[at_] == ' ' || text_[at_] == '\t' || text_[at_] == '\r')) ++at_;
        const std::size_t start = at_;
        while (at_ < text_.size() && text_[at_] != ' ' && text_[at_] != '\t' && text_[at_] != '\r' && text_[at_] != '\n') ++at_;
        return text_.substr(start, at_ - start);
    }
    /// Next word on this or a later line; empty at the end of the text.
    std::string_view word_anywhere() {
        for (;;) {
            const std::string_view w = word();
            if (!w.empty() || at_ >= text_.size()) return w;
            next_line();
        }
    }
    std::string_view rest() {
        const std::size_t end = std::min(text_.find('\n', at_), text_.size());
        std::string_view r = text_.substr(at_, end - at_);
        at_ = end;
        while (!r.empty() && (r.front() == ' ' || r.front() == '\t')) r.remove_prefix(1);
        while (!r.empty() && (r.back() == ' ' || r.back() == '\t' || r.back() == '\r')) r.remove_suffix(1);
        return r;
    }
    bool next_line() {
        const std::size_t end = text_.find('\n', at_);
        if (end == std::string_view::npos) {
            at_ = text_.size();
            return false;
        }
        at_ = end + 1, ++line_;
        return at_ < text_.size();
    }

private:
    std::string_view text_;
    std::size_t at_ = 0, line_ = 1;
};

template <class T>
[[nodiscard]] std::optional<T> number_in(std::string_view w) {
    if (!w.empty() && w.front() == '+') w.remove_prefix(1);
    T v{};
    const auto [end, ec] = std::from_chars(w.data(), w.data() + w.size(), v);
    if (ec != std::errc() || end != w.data() + w.size()) return std::nullopt;
    return v;
}

/// A word for a message: short, and nothing in it that would break the line.
[[nodiscard]] inline std::string shown(std::string_view w) {
    std::string out(w.substr(0, 20));
    for (char& c : out)
        if (static_cast<unsigned char>(c) < 32 || static_cast<unsigned char>(c) > 126) c = '?';
    return out;
}

/// A coordinate: finite and of a size that squares and cubes can still be taken of.
[[nodiscard]] inline bool sane(double v) {
    return std::isfinite(v) && std::abs(v) < 1e12;
}

}  // namespace halvo::io
