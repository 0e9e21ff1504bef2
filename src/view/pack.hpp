#pragma once
/// Arrays and a JSON text in one packed block, as the page's modules take them apart.

#include <nlohmann/json.hpp>

#include <cstring>
#include <string>
#include <vector>

namespace halvo::view {

using Json = nlohmann::ordered_json;

class Pack {
public:
    void add(const std::string& name, const std::vector<float>& v) { put(name, "f32", v); }
    void add(const std::string& name, const std::vector<std::uint32_t>& v) { put(name, "u32", v); }
    void add(const std::string& name, const std::vector<std::int32_t>& v) { put(name, "i32", v); }
    void add(const std::string& name, const std::vector<std::int16_t>& v) { put(name, "i16", v); }
    void add(const std::string& name, const std::vector<std::uint16_t>& v) { put(name, "u16", v); }
    void add(const std::string& name, const std::vector<std::uint8_t>& v) { put(name, "u8", v); }
    /// The block: length of the JSON text (four bytes, least first), the text with the arrays' places in it, the arrays.
    [[nodiscard]] std::string packed(Json content) const;

private:
    template <class T>
    void put(const std::string& name, const char* type, const std::vector<T>& v) {
        list_[name] = {{"type", type}, {"at", bytes_.size()}, {"count", v.size()}};
        const std::size_t size = v.size() * sizeof(T);
        bytes_.resize(bytes_.size() + (size + 7) / 8 * 8);
        if (size > 0) std::memcpy(bytes_.data() + list_[name]["at"].template get<std::size_t>(), v.data(), size);
    }
    Json list_ = Json::object();
    std::string bytes_;
};

/// zlib's format.
[[nodiscard]] std::string deflated(const std::string& bytes);
[[nodiscard]] std::string base64(const std::string& bytes);

}  // namespace halvo::view
