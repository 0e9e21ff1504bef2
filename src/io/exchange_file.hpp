#pragma once
/// The data section of an exchange file (ISO 10303-21): where each instance stands, and its parameters read where they are asked for.

#include <cstdint>
#include <optional>
#include <stdexcept>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

namespace halvo::io {

/// What this reader does not understand; the CAD kernel may.
class NotUnderstood : public std::runtime_error {
public:
    using std::runtime_error::runtime_error;
};

/// Walks the parameters of one record, each read in its turn. Whatever is not there as asked for is NotUnderstood.
class Parameters21 {
public:
    Parameters21(std::string_view text, std::size_t at) : text_(text), at_(at) {}

    double real();
    std::int64_t integer();
    std::uint64_t reference();
    std::optional<std::uint64_t> reference_or_none();  ///< nothing for $, * and values that are no reference
    bool logical();                                    ///< .T. is true; .F. and .U. are not
    std::string_view enumeration();                    ///< without its dots
    std::string text();                                ///< decoded to UTF-8; empty for $
    void skip(int count = 1);
    /// Opens a list; items are there until `closed` says so.
    void open();
    [[nodiscard]] bool closed();
    /// Opens a typed value such as LENGTH_MEASURE(25.4) and gives its keyword.
    std::string_view open_typed();
    std::vector<std::uint64_t> references();
    std::vector<double> reals();
    std::vector<std::int64_t> integers();
    [[nodiscard]] char next();

private:
    void separate();
    [[noreturn]] void fail(const char* wanted) const;
    std::string_view text_;
    std::size_t at_;
    bool first_ = true;  // no comma before the next one
};

/// Instances by their numbers. The text must outlive it.
class ExchangeFile {
public:
    explicit ExchangeFile(std::string_view text);

    [[nodiscard]] bool has(std::uint64_t id) const { return where(id) != 0; }
    /// Keyword of a simple instance; empty where it is made of several records.
    [[nodiscard]] std::string_view keyword(std::uint64_t id) const;
    /// Parameters of a simple instance, whatever its keyword.
    [[nodiscard]] Parameters21 of(std::uint64_t id) const;
    [[nodiscard]] Parameters21 of(std::uint64_t id, std::string_view keyword) const;
    /// Parameters of one record of an instance made of several; nothing where it has none of that name.
    [[nodiscard]] std::optional<Parameters21> part(std::uint64_t id, std::string_view keyword) const;
    /// All simple instances of a keyword that was asked for in `listed`, in the order of the file.
    [[nodiscard]] const std::vector<std::uint64_t>& all(std::string_view keyword) const;
    /// All instances made of several records.
    [[nodiscard]] const std::vector<std::uint64_t>& complex() const { return complex_; }

private:
    void index();
    [[nodiscard]] std::size_t where(std::uint64_t id) const {
        if (id < dense_.size()) return dense_[id];
        const auto it = sparse_.find(id);
        return it == sparse_.end() ? 0 : it->second;
    }
    [[nodiscard]] std::size_t expect(std::uint64_t id) const;

    std::string_view text_;
    std::vector<std::size_t> dense_;                         // by number: where the record starts
    std::unordered_map<std::uint64_t, std::size_t> sparse_;  // numbers far beyond the count
    std::unordered_map<std::string_view, std::vector<std::uint64_t>> listed_;
    std::vector<std::uint64_t> complex_;
};

}  // namespace halvo::io
