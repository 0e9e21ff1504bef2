#pragma once
#include <halvo/types.hpp>

#include <sqlite3.h>

#include <filesystem>
#include <memory>

namespace halvo::io {

/// SQLite connection that turns every failure into one clear Error.
class Database {
public:
    enum class Mode { create, read };
    Database(const std::filesystem::path& file, Mode mode);
    void run(const std::string& sql);
    /// A database in memory: empty, or of the bytes of one.
    explicit Database(const std::string& bytes);
    [[nodiscard]] std::string bytes() const;
    [[nodiscard]] sqlite3* handle() const { return db_.get(); }
    [[noreturn]] void fail(const std::string& doing) const;

private:
    struct Close {
        void operator()(sqlite3* d) const { sqlite3_close(d); }
    };
    std::filesystem::path file_;
    std::unique_ptr<sqlite3, Close> db_;
};

/// Prepared statement; values are bound from left to right, columns read from left to right.
class Statement {
public:
    Statement(Database& db, const std::string& sql);
    Statement& bind(std::int64_t v);
    Statement& bind(int v) { return bind(static_cast<std::int64_t>(v)); }
    Statement& bind(double v);
    Statement& bind(const std::string& text);
    Statement& bind(const char* text) { return bind(std::string(text)); }
    Statement& blob(const std::string& bytes);
    /// Runs an insert and makes the statement ready for the next row.
    void done();
    /// Next row of a query.
    [[nodiscard]] bool step();
    [[nodiscard]] std::int64_t integer();
    [[nodiscard]] int number() { return static_cast<int>(integer()); }
    [[nodiscard]] double real();
    [[nodiscard]] std::string text();

private:
    struct Finalize {
        void operator()(sqlite3_stmt* s) const { sqlite3_finalize(s); }
    };
    Database& db_;
    std::unique_ptr<sqlite3_stmt, Finalize> s_;
    int next_ = 1, column_ = 0;
};

}  // namespace halvo::io
