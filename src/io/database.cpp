#include "io/database.hpp"

#include <cstdlib>
#include <cstring>

namespace halvo::io {

Database::Database(const std::filesystem::path& file, Mode mode) : file_(file) {
    sqlite3* db = nullptr;
    const int flags = mode == Mode::create ? SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE : SQLITE_OPEN_READONLY;
    const int rc = sqlite3_open_v2(file.c_str(), &db, flags, nullptr);
    db_.reset(db);
    if (rc != SQLITE_OK) fail(mode == Mode::create ? "cannot be written" : "cannot be opened");
}

Database::Database(const std::string& bytes) : file_("model in memory") {
    sqlite3* db = nullptr;
    const int rc = sqlite3_open_v2(":memory:", &db, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE, nullptr);
    db_.reset(db);
    if (rc != SQLITE_OK) fail("cannot be made");
    if (bytes.empty()) return;
    auto* copy = static_cast<unsigned char*>(sqlite3_malloc64(bytes.size()));
    if (!copy) fail("cannot be read");
    std::memcpy(copy, bytes.data(), bytes.size());
    const auto size = static_cast<sqlite3_int64>(bytes.size());
    if (sqlite3_deserialize(db, "main", copy, size, size, SQLITE_DESERIALIZE_FREEONCLOSE | SQLITE_DESERIALIZE_READONLY) != SQLITE_OK) fail("cannot be read");
}

std::string Database::bytes() const {
    sqlite3_int64 size = 0;
    unsigned char* data = sqlite3_serialize(db_.get(), "main", &size, 0);
    if (!data) fail("cannot be copied");
    std::string out(reinterpret_cast<const char*>(data), static_cast<std::size_t>(size));
    sqlite3_free(data);
    return out;
}

void Database::fail(const std::string& doing) const {
    const int code = db_ ? sqlite3_errcode(db_.get()) : SQLITE_NOMEM;
    const std::string detail = db_ ? sqlite3_errmsg(db_.get()) : "no memory";
    const auto say = [&](const std::string& what) { throw Error(ErrorKind::input, file_.string() + ": " + what); };
    if (code == SQLITE_FULL) say("the disk is full; free some room there, or give another --out");
    if (code == SQLITE_NOMEM) say("memory ran out; close other programs and try again");
    if (code == SQLITE_IOERR) say("the disk failed (" + detail + "); check it, or give another --out");
    if (code == SQLITE_READONLY || code == SQLITE_PERM || code == SQLITE_CANTOPEN) say(doing + " (" + detail + "); check the path and its permissions");
    say(doing + " (" + detail + "); check that it is a Halvo model file");
    std::abort();  // not reached
}

void Database::run(const std::string& sql) {
    if (sqlite3_exec(db_.get(), sql.c_str(), nullptr, nullptr, nullptr) != SQLITE_OK) fail("database error");
}

Statement::Statement(Database& db, const std::string& sql) : db_(db) {
    sqlite3_stmt* s = nullptr;
    if (sqlite3_prepare_v2(db.handle(), sql.c_str(), -1, &s, nullptr) != SQLITE_OK) db.fail("not a Halvo model");
    s_.reset(s);
}

Statement& Statement::bind(std::int64_t v) {
    sqlite3_bind_int64(s_.get(), next_++, v);
    return *this;
}
Statement& Statement::bind(double v) {
    sqlite3_bind_double(s_.get(), next_++, v);
    return *this;
}
Statement& Statement::bind(const std::string& text) {
    sqlite3_bind_text(s_.get(), next_++, text.data(), static_cast<int>(text.size()), SQLITE_TRANSIENT);
    return *this;
}
Statement& Statement::blob(const std::string& bytes) {
    sqlite3_bind_blob64(s_.get(), next_++, bytes.data(), bytes.size(), SQLITE_TRANSIENT);
    return *this;
}

void Statement::done() {
    if (sqlite3_step(s_.get()) != SQLITE_DONE) db_.fail("cannot be written");
    sqlite3_reset(s_.get());
    next_ = 1;
}

bool Statement::step() {
    const int rc = sqlite3_step(s_.get());
    column_ = 0;
    if (rc == SQLITE_ROW) return true;
    if (rc != SQLITE_DONE) db_.fail("cannot be read");
    return false;
}

std::int64_t Statement::integer() {
    return sqlite3_column_int64(s_.get(), column_++);
}
double Statement::real() {
    return sqlite3_column_double(s_.get(), column_++);
}
std::string Statement::text() {
    const int c = column_++;
    const auto* p = static_cast<const char*>(sqlite3_column_blob(s_.get(), c));
    return p ? std::string(p, static_cast<std::size_t>(sqlite3_column_bytes(s_.get(), c))) : std::string();
}

}  // namespace halvo::io
