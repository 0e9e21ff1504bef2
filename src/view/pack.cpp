#include "view/pack.hpp"

#include <halvo/types.hpp>

#include <zlib.h>

#include <array>

namespace halvo::view {

std::string Pack::packed(Json content) const {
    content["arrays"] = list_;
    // Names come from files: what is no UTF-8 in them is replaced.
    std::string text = content.dump(-1, ' ', false, Json::error_handler_t::replace);
    text.resize((text.size() + 4 + 7) / 8 * 8 - 4, ' ');  // so that the arrays start at a multiple of eight
    std::string out(4, '\0');
    for (std::size_t k = 0; k < 4; ++k) out[k] = static_cast<char>(text.size() >> (8 * k) & 0xff);
    return deflated(out + text + bytes_);
}

std::string deflated(const std::string& bytes) {
    uLongf size = compressBound(static_cast<uLong>(bytes.size()));
    std::string out(size, '\0');
    if (compress2(reinterpret_cast<Bytef*>(out.data()), &size, reinterpret_cast<const Bytef*>(bytes.data()), static_cast<uLong>(bytes.size()), 6) != Z_OK)
        throw Error(ErrorKind::stage, "the page's content cannot be packed; memory ran out");
    out.resize(size);
    return out;
}

std::string base64(const std::string& bytes) {
    constexpr std::string_view digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    out.reserve((bytes.size() + 2) / 3 * 4);
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        std::array<unsigned, 3> b{};
        const std::size_t n = std::min<std::size_t>(3, bytes.size() - i);
        for (std::size_t k = 0; k < n; ++k) b[k] = static_cast<unsigned char>(bytes[i + k]);
        const unsigned v = b[0] << 16 | b[1] << 8 | b[2];
        for (std::size_t k = 0; k < 4; ++k) out += k > n ? '=' : digits[v >> (18 - 6 * k) & 63];
    }
    return out;
}

}  // namespace halvo::view
