#pragma once
/// Byte arrays for the model file: plain values and vectors of them, little-endian, read back with bounds checked.

#include <halvo/types.hpp>

#include <cstring>
#include <string>
#include <type_traits>

namespace halvo::io {

class BlobOut {
public:
    template <class T>
    BlobOut& put(const T& v) {
        if constexpr (std::is_same_v<T, Vec3>) {
            put(v.x()).put(v.y()).put(v.z());
        } else if constexpr (std::is_same_v<T, Vec2>) {
            put(v.x()).put(v.y());
        } else if constexpr (requires {
                                 v.begin();
                                 v.size();
                             } &&
                             !std::is_trivially_copyable_v<T>) {
            put(static_cast<std::uint64_t>(v.size()));
            for (const auto& e : v) put(e);
        } else {
            static_assert(std::is_trivially_copyable_v<T>);
            bytes_.append(reinterpret_cast<const char*>(&v), sizeof v);
        }
        return *this;
    }
    [[nodiscard]] const std::string& bytes() const { return bytes_; }

private:
    std::string bytes_;
};

class BlobIn {
public:
    explicit BlobIn(std::string bytes) : bytes_(std::move(bytes)) {}
    template <class T>
    T get() {
        T v{};
        if constexpr (std::is_same_v<T, Vec3>) {
            v.x() = get<double>(), v.y() = get<double>(), v.z() = get<double>();
        } else if constexpr (std::is_same_v<T, Vec2>) {
            v.x() = get<double>(), v.y() = get<double>();
        } else if constexpr (requires { v.push_back(*v.begin()); } && !std::is_trivially_copyable_v<T>) {
            const auto n = get<std::uint64_t>();
            if (n > bytes_.size()) fail();
            v.reserve(static_cast<std::size_t>(n));
            for (std::uint64_t i = 0; i < n; ++i) v.push_back(get<typename T::value_type>());
        } else {
            static_assert(std::is_trivially_copyable_v<T>);
            if (at_ + sizeof v > bytes_.size()) fail();
            std::memcpy(&v, bytes_.data() + at_, sizeof v);
            at_ += sizeof v;
        }
        return v;
    }

private:
    [[noreturn]] static void fail() { throw Error(ErrorKind::input, "the stored data is damaged: an array ends early; run halvo again"); }
    std::string bytes_;
    std::size_t at_ = 0;
};

}  // namespace halvo::io
