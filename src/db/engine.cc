#include "db/engine.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <libpq-fe.h>
#include <regex>
// Before soci.h: its SQLite part includes sqlite3.h in a namespace of its own.
#include <soci/postgresql/soci-postgresql.h>
#include <soci/sqlite3/soci-sqlite3.h>

#include "base/percent.h"
#include "base/visible_name.h"
#include "db/connection.h"
#include "db/schema.h"
#include "db/server_watch.h"

namespace vantro::db {
namespace {

using base::Kind;
using base::Refusal;

// -- SQLite --

// Result codes (https://www.sqlite.org/rescode.html) that need different actions.
constexpr int kSqliteBusy = 5;
constexpr int kSqliteReadonly = 8;
constexpr int kSqliteCorrupt = 11;
constexpr int kSqliteFull = 13;
constexpr int kSqliteCantOpen = 14;
constexpr int kSqliteNotADatabase = 26;

bool is_sound(const Rows& rows) {
  return rows.size() == 1 && rows.front().text(0) == "ok";
}

class Sqlite : public Engine {
 public:
  explicit Sqlite(std::string path) : path_(std::move(path)) {}

  bool shared() const override { return false; }
  std::string name() const override { return path_; }

  void open(soci::session& session) const override {
    // SOCI's connection strings take a value in double quotes, and no quote inside one.
    session.open(soci::sqlite3, fmt::format("db=\"{}\" timeout=10", path_));
    // A commit is on disk when it returns. Not as a word of the connection string: SOCI
    // leaks the handle if that fails.
    session.once << "pragma synchronous = full";
  }

  std::string server() const override { return {}; }
  int socket_of(soci::session& /*session*/) const override { return -1; }
  std::string announcement() const override { return {}; }

  const char* begin_write() const override { return "begin immediate"; }
  const char* begin_read() const override { return "begin"; }
  const char* begin_aside() const override { return "begin immediate"; }
  std::string clock() const override {
    return "cast((julianday('now') - 2440587.5) * 86400000 as integer)";
  }
  bool takes_only_utf8() const override { return false; }
  bool gives_all_rows_at_once() const override { return false; }
  std::string transaction_number() const override { return "0"; }
  Fate fate_of(Connection& /*connection*/, const std::string& /*number*/) const override {
    return Fate::kUnknown;
  }
  Failed how(const soci::soci_error& /*error*/) const override {
    return Failed::kStatement;
  }

  Refusal refusal_of(const soci::soci_error& error) const override {
    const auto* sqlite = dynamic_cast<const soci::sqlite3_soci_error*>(&error);
    const int code = sqlite == nullptr ? 0 : sqlite->result() & 0xff;
    switch (code) {
      case kSqliteFull:
        return {Kind::kFull,
                "the server's disk is full; free some space and send it again"};
      case kSqliteCorrupt:
      case kSqliteNotADatabase:
        return {Kind::kCorrupt, "the database is damaged"};
      case kSqliteBusy:
        return {Kind::kBusy, "the database is locked by another program"};
      case kSqliteReadonly:
        return {Kind::kIo, "the database can't be written"};
      case kSqliteCantOpen:
        return {Kind::kIo, "the database can't be opened"};
      default:
        // A full disk shows as a plain I/O error if the log file could not grow.
        return {Kind::kIo, fmt::format("the database failed (SQLite code {})", code)};
    }
  }

  std::string why_gone(const soci::soci_error& error) const override {
    return refusal_of(error).sentence;
  }

  base::Outcome<void> look(Connection& writer, bool& unchecked) const override {
    writer.plain("pragma foreign_keys = on");
    unchecked = number(writer, "pragma page_count") * number(writer, "pragma page_size") >
                Database::kCheckedAtOnce;
    if (!unchecked && !is_sound(writer.execute("pragma quick_check(1)"))) {
      return base::refuse(Kind::kCorrupt,
                          fmt::format("{}: the database is damaged", path_));
    }
    return {};
  }

  bool has_table(Connection& writer, const std::string& table) const override {
    return !writer
                .execute("select 1 from sqlite_master where type = 'table' and name = :n",
                         {table})
                .empty();
  }

  void make_ready(Connection& writer, bool made_before) const override {
    // Only in an empty file: it is a matter of the file's layout.
    if (!made_before) writer.plain("pragma auto_vacuum = incremental");
    writer.plain("pragma journal_mode = wal");
  }

  Statements whole_schema() const override { return {}; }
  std::string of_schema(const std::string& statement) const override { return statement; }

  std::uint64_t bytes(Connection& connection) const override {
    return static_cast<std::uint64_t>(number(connection, "pragma page_count") *
                                      number(connection, "pragma page_size"));
  }
  std::uint64_t give_room_back(Connection& writer) const override {
    // Pages of 4 KiB. A piece takes some milliseconds.
    constexpr std::int64_t kWorthIt = 4096;
    constexpr std::int64_t kPiece = 512;
    const auto free = number(writer, "pragma freelist_count");
    if (free < kWorthIt) return 0;
    writer.execute(fmt::format("pragma incremental_vacuum({})", kPiece));
    const auto left = number(writer, "pragma freelist_count");
    if (left >= free) return 0;
    return static_cast<std::uint64_t>((free - left) * number(writer, "pragma page_size"));
  }

 private:
  static std::int64_t number(Connection& connection, const char* pragma) {
    return connection.execute(pragma).front().integer(0);
  }

  const std::string path_;
};

// -- PostgreSQL --

// The lock of whoever writes, one for each schema of a database; its first number is
// ours.
constexpr const char* kBeginWrite =
    "begin isolation level read committed; select pg_advisory_xact_lock(1986097780, "
    "hashtext(current_schema()))";
constexpr int kOldest = 130000;  // 13: pg_current_xact_id

std::string literal(const std::string& value) {
  std::string text = "'";
  for (const char c : value) {
    if (c == '\'') text += '\'';
    text += c;
  }
  return text + "'";
}

bool is_shared(const std::string& where) {
  return where.starts_with("postgresql://") || where.starts_with("postgres://");
}

// The options of an address that are set: keyword and value.
using Words = std::vector<std::pair<std::string, std::string>>;

base::Outcome<Words> words_of(const std::string& url) {
  const auto wrong = [](const char* what) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("{}; example: \"postgresql://vantro@db.example.net/vantro\"", what));
  };
  char* why = nullptr;
  const std::unique_ptr<PQconninfoOption, void (*)(PQconninfoOption*)> given(
      is_shared(url) ? ::PQconninfoParse(url.c_str(), &why) : nullptr, ::PQconninfoFree);
  // Not libpq's words: they may hold the password.
  ::PQfreemem(why);
  if (!given) return wrong("not an address of a PostgreSQL database");
  Words words;
  bool names_database = false;
  for (const auto* one = given.get(); one->keyword != nullptr; ++one) {
    if (one->val == nullptr || *one->val == '\0') continue;
    words.emplace_back(one->keyword, one->val);
    names_database = names_database || words.back().first == "dbname";
  }
  if (!names_database) return wrong("the address names no database");
  return words;
}

std::vector<std::string> parts_of(const std::string& list) {
  std::vector<std::string> parts;
  for (std::size_t at = 0; at <= list.size();) {
    const auto end = std::min(list.find(',', at), list.size());
    parts.push_back(list.substr(at, end - at));
    at = end + 1;
  }
  return parts;
}

// "db1 or db2"; "127.0.0.1, port 5433". A list of hosts may have one port for all.
std::string servers(const std::string& hosts, const std::string& ports) {
  const auto each_port = parts_of(ports);
  std::vector<std::string> names;
  for (const auto& host : parts_of(hosts)) {
    const auto& port = each_port.size() > 1 && names.size() < each_port.size()
                           ? each_port[names.size()]
                           : each_port.front();
    names.push_back((host.empty() ? "this machine" : host) +
                    (port.empty() ? "" : ", port " + port));
  }
  return fmt::format("{}", fmt::join(names, " or "));
}

class Postgresql : public Engine {
 public:
  static base::Outcome<std::unique_ptr<Engine>> of(const std::string& url) {
    auto given = words_of(url);
    if (!given) {
      return base::refuse(given.error().kind, "database.url: " + given.error().sentence);
    }
    Words words;
    std::string host;
    std::string port;
    std::string database;
    bool any_server = true;
    for (auto& [keyword, value] : *given) {
      if (keyword == "host" || (keyword == "hostaddr" && host.empty())) host = value;
      if (keyword == "port") port = value;
      if (keyword == "dbname") database = value;
      if (keyword == "target_session_attrs") any_server = false;
      // Ours: nobody waits longer for an answer.
      if (keyword != "connect_timeout") words.emplace_back(keyword, std::move(value));
    }
    // With several addresses: the one that accepts changes, not a standby of it.
    if (any_server) words.emplace_back("target_session_attrs", "read-write");
    words.emplace_back("keepalives_idle", "5");
    words.emplace_back("keepalives_interval", "2");
    words.emplace_back("keepalives_count", "3");
    words.emplace_back("tcp_user_timeout", "10000");  // milliseconds
    words.emplace_back("application_name", "vantrod");
    // As one word without spaces: SOCI takes a text apart at these, also in quotes.
    std::string text = "postgresql://?";
    for (const auto& [keyword, value] : words) {
      text += keyword + "=" + base::percent_encoded(value) + "&";
    }
    text += "connect_timeout=3";
    return std::unique_ptr<Engine>(new Postgresql(
        text,
        base::printable(fmt::format("database '{}' on {}", database, servers(host, port)),
                        200)));
  }

  bool shared() const override { return true; }
  std::string name() const override { return name_; }

  void open(soci::session& session) const override {
    try {
      session.open(soci::postgresql, connection_);
    } catch (const soci::soci_error& error) {
      throw NotConnected(error.what());
    }
    // A commit is on its disk when it returns. A node that stops in the middle of a
    // transaction, or whose network fails, holds up the others for 15 seconds at most.
    // Compiling a statement to machine code takes longer than any of ours.
    session.once << "select case when current_setting('synchronous_commit') = 'off' then "
                    "set_config('synchronous_commit', 'on', false) end; "
                    "set jit = off; set lock_timeout = 20000; "
                    "set idle_in_transaction_session_timeout = 15000; "
                    "set tcp_user_timeout = 15000; "
                    "set client_encoding = 'UTF8'; set client_min_messages = warning";
  }

  std::string server() const override { return connection_; }
  int socket_of(soci::session& session) const override {
    // A session that open() has opened. Its class has no type information outside SOCI.
    const auto* backend =
        static_cast<soci::postgresql_session_backend*>(session.get_backend());
    return ::PQsocket(backend->conn_);
  }
  std::string announcement() const override {
    return fmt::format("select pg_notify({}, '')", ServerWatch::kChannel);
  }

  const char* begin_write() const override { return kBeginWrite; }
  const char* begin_read() const override {
    return "begin isolation level repeatable read read only";
  }
  // Whoever waited for a row sees it as it is now. It has a short time: a node that does
  // not report for some seconds counts as gone.
  const char* begin_aside() const override {
    return "begin isolation level read committed; set local lock_timeout = 2000";
  }
  std::string clock() const override {
    return "cast(extract(epoch from clock_timestamp()) * 1000 as bigint)";
  }
  bool takes_only_utf8() const override { return true; }
  bool gives_all_rows_at_once() const override { return true; }
  std::string transaction_number() const override {
    return "cast(pg_current_xact_id() as text)";
  }

  Fate fate_of(Connection& connection, const std::string& number) const override {
    const auto rows = connection.execute(
        "select pg_xact_status(cast(cast(:n as text) as xid8))", {number});
    const auto word = rows.empty() ? std::string() : rows.front().text(0);
    if (word == "committed") return Fate::kCommitted;
    if (word == "aborted") return Fate::kNot;
    return Fate::kUnknown;
  }

  Failed how(const soci::soci_error& error) const override {
    const auto state = state_of(error);
    if (state == "40001" || state == "40P01") return Failed::kTurn;
    if (is_gone(error, state)) return Failed::kConnection;
    return Failed::kStatement;
  }

  Refusal refusal_of(const soci::soci_error& error) const override {
    const auto state = state_of(error);
    if (is_gone(error, state)) {
      return {Kind::kBusy,
              "the server's database does not answer; try again in a minute",
              {},
              10};
    }
    if (state == "53100") {
      return {Kind::kFull,
              "the database's disk is full; free some space and send it again"};
    }
    if (state.starts_with("53")) {
      return {Kind::kBusy,
              "the database is short of memory or connections; try again in a minute",
              {},
              10};
    }
    if (state == "55P03" || state == "57014" || state == "40001" || state == "40P01") {
      return {Kind::kBusy, "the database is locked by another node; try again", {}, 10};
    }
    if (state == "42501") return {Kind::kIo, "the database does not permit that"};
    if (state.starts_with("XX00")) return {Kind::kCorrupt, "the database is damaged"};
    return {Kind::kIo, fmt::format("the database failed (PostgreSQL state {})",
                                   state.empty() ? "unknown" : state)};
  }

  // With the server's own words, and without those of the libraries.
  std::string why_gone(const soci::soci_error& error) const override {
    constexpr std::string_view kServersOwn = "FATAL:";
    const std::string told = error.what();
    const auto at = told.rfind(kServersOwn);
    if (dynamic_cast<const NotConnected*>(&error) == nullptr || at == std::string::npos) {
      return fmt::format("the {} does not answer", name_);
    }
    auto words = told.substr(at + kServersOwn.size());
    words.resize(std::min(words.find('\n'), words.size()));
    words.erase(0, words.find_first_not_of(' '));
    return fmt::format("the {} refuses the connection: {}", name_,
                       base::printable(words, 200));
  }

  base::Outcome<void> look(Connection& writer, bool& unchecked) const override {
    unchecked = false;
    const auto facts =
        writer
            .execute(
                "select current_setting('server_version_num'), "
                "current_setting('server_encoding'), current_setting('fsync')")
            .front();
    if (facts.integer(0) < kOldest) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("{}: vantrod needs PostgreSQL 13 or newer", name_));
    }
    if (facts.text(1) != "UTF8") {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("{}: its encoding is {}, and vantrod needs UTF8; make it with: "
                      "createdb --encoding=UTF8 --template=template0",
                      name_, facts.text(1)));
    }
    if (facts.text(2) != "on") {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("{}: PostgreSQL runs with fsync = off, and would lose acknowledged "
                      "uploads when the power fails; switch it on",
                      name_));
    }
    return {};
  }

  bool has_table(Connection& writer, const std::string& table) const override {
    return !writer.execute("select cast(to_regclass(:n) as text)", {table})
                .front()
                .is_null(0);
  }

  void make_ready(Connection& writer, bool /*made_before*/) const override {
    // Functions that SQLite has.
    writer.plain(
        "create or replace function instr(text, text) returns bigint language sql "
        "immutable parallel safe as 'select cast(strpos($1, $2) as bigint)'");
    // The numbers of a list like "[1,2]".
    writer.plain(
        "create or replace function json_each(text) returns table (value bigint) "
        "language sql immutable parallel safe as 'select cast(e as bigint) from "
        "json_array_elements_text(cast($1 as json)) as e'");
  }

  // From SQLite, as the schema is written for it: its oldest versions use words of SQLite
  // and change rows that no other database has.
  Statements whole_schema() const override {
    Statements statements;
    const Model model;
    for (const auto& row :
         model.connection->execute("select sql from sqlite_master where sql is not "
                                   "null order by rowid")) {
      statements.push_back(row.text(0));
    }
    for (const auto& table : model.connection->execute(
             "select name from sqlite_master where type = 'table'")) {
      for (const auto& row :
           model.connection->execute("select * from " + table.text(0))) {
        std::string values;
        for (std::size_t i = 0; i < row.size(); ++i) {
          values += i == 0 ? "" : ", ";
          values += row.is_null(i)      ? "null"
                    : row.is_integer(i) ? row.text(i)
                                        : literal(row.text(i));
        }
        statements.push_back(
            fmt::format("insert into {} values ({})", table.text(0), values));
      }
    }
    return statements;
  }

  // Texts are compared byte by byte, as in SQLite, whatever the database's language.
  std::string of_schema(const std::string& statement) const override {
    static const std::regex kTable("^(create|alter) table", std::regex::icase);
    static const std::regex kText(R"((\w\s+text)\b)");
    if (!std::regex_search(statement, kTable)) return statement;
    return std::regex_replace(statement, kText, R"($1 collate "C")");
  }

  std::uint64_t bytes(Connection& connection) const override {
    return static_cast<std::uint64_t>(
        connection
            .execute(
                "select coalesce(sum(pg_total_relation_size(cast(c.oid as regclass))), "
                "0) from pg_class c where c.relkind = 'r' and c.relnamespace = "
                "cast(current_schema() as regnamespace)")
            .front()
            .integer(0));
  }
  // PostgreSQL's own vacuum does it.
  std::uint64_t give_room_back(Connection& /*writer*/) const override { return 0; }

 private:
  Postgresql(std::string connection, std::string name)
      : connection_(std::move(connection)), name_(std::move(name)) {}

  // What SOCI gives where the server has given none: the connection is broken.
  static constexpr std::string_view kNone = "     ";

  static std::string state_of(const soci::soci_error& error) {
    const auto* postgresql = dynamic_cast<const soci::postgresql_soci_error*>(&error);
    return postgresql == nullptr ? std::string() : postgresql->sqlstate();
  }
  // SQLSTATE classes 08 and 57P; 25006 is a standby that was the primary before.
  static bool is_gone(const soci::soci_error& error, const std::string& state) {
    return state.starts_with("08") || state.starts_with("57P") || state == "25006" ||
           state == "25P03" || state == kNone ||
           dynamic_cast<const NotConnected*>(&error) != nullptr;
  }

  const std::string connection_;
  const std::string name_;
};

}  // namespace

Model::Model()
    : engine(std::make_unique<Sqlite>(":memory:")),
      connection(std::make_unique<Connection>(*engine)) {
  for (const auto& version : schema_versions()) {
    for (const auto& statement : version.statements) connection->run(statement);
  }
}
Model::~Model() = default;

base::Outcome<Database::Address> Engine::address_of(const std::string& url) {
  const auto words = words_of(url);
  if (!words) return base::refuse(words.error());
  constexpr std::array<std::string_view, 5> kFiles{"sslcert", "sslkey", "sslrootcert",
                                                   "sslcrl", "passfile"};
  Database::Address address;
  for (const auto& [keyword, value] : *words) {
    address.has_password = address.has_password || keyword == "password";
    if (std::find(kFiles.begin(), kFiles.end(), keyword) != kFiles.end()) {
      address.files.push_back(value);
    }
  }
  return address;
}

base::Outcome<std::unique_ptr<Engine>> Engine::of(const std::string& where) {
  if (is_shared(where)) return Postgresql::of(where);
  if (where.find('"') != std::string::npos) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("{}: the path of the state must not hold a '\"'", where));
  }
  return std::make_unique<Sqlite>(where);
}

}  // namespace vantro::db
