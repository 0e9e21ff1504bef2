#pragma once
/// Arrays of VTK XML files as base64 with a 64-bit length in front.

#include <pugixml.hpp>

#include <cstdint>
#include <cstring>
#include <string>
#include <vector>

namespace halvo::io {

[[nodiscard]] std::string base64(const void* data, std::size_t n);

template <class T>
std::string encode(const std::vector<T>& values) {
    std::string bytes(8 + values.size() * sizeof(T), '\0');
    const std::uint64_t n = values.size() * sizeof(T);
    std::memcpy(bytes.data(), &n, 8);
    if (n > 0) std::memcpy(bytes.data() + 8, values.data(), n);
    return base64(bytes.data(), bytes.size());
}

template <class T>
void add_array(pugi::xml_node parent, const char* type, const char* name, const std::vector<T>& values, int components = 1) {
    auto a = parent.append_child("DataArray");
    a.append_attribute("type") = type;
    a.append_attribute("Name") = name;
    if (components > 1) a.append_attribute("NumberOfComponents") = components;
    a.append_attribute("format") = "binary";
    a.text() = encode(values).c_str();
}

/// The piece of a new unstructured grid of little-endian arrays with 64-bit lengths.
[[nodiscard]] pugi::xml_node start_grid(pugi::xml_document& doc, std::size_t points, std::size_t cells);
[[nodiscard]] std::string text_of(const pugi::xml_document& doc);

}  // namespace halvo::io
