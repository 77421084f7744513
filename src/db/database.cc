#include "db/database.h"

#include <fmt/format.h>
// Before soci.h: its SQLite part includes sqlite3.h in a namespace of its own.
#include <algorithm>
#include <deque>
#include <soci/soci.h>
#include <soci/sqlite3/soci-sqlite3.h>
#include <unordered_map>

#include "base/clock.h"
#include "base/numbers.h"
#include "db/schema.h"

namespace vantro::db {
namespace {

using base::Kind;
using base::Refusal;

// SQLite result codes (https://www.sqlite.org/rescode.html) that need different actions.
constexpr int kSqliteBusy = 5;
constexpr int kSqliteReadonly = 8;
constexpr int kSqliteCorrupt = 11;
constexpr int kSqliteFull = 13;
constexpr int kSqliteCantOpen = 14;
constexpr int kSqliteNotADatabase = 26;

// Never the library's own text: it holds the values of the statement.
Refusal refusal_of(const soci::soci_error& error) {
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

Value column_value(const soci::row& row, std::size_t i) {
  if (row.get_indicator(i) == soci::i_null) return nullptr;
  switch (row.get_properties(i).get_data_type()) {
    case soci::dt_integer:
      return std::int64_t{row.get<int>(i)};
    case soci::dt_long_long:
      return static_cast<std::int64_t>(row.get<long long>(i));
    case soci::dt_unsigned_long_long:
      return static_cast<std::int64_t>(row.get<unsigned long long>(i));
    case soci::dt_double:
      return static_cast<std::int64_t>(row.get<double>(i));
    default:
      return row.get<std::string>(i);
  }
}

// SOCI's connection strings take a value in double quotes, and no quote inside one.
std::string connection_string(const std::string& path) {
  return fmt::format("db=\"{}\" timeout=10", path);
}

}  // namespace

bool Row::is_null(std::size_t column) const {
  return std::holds_alternative<std::nullptr_t>(values_.at(column));
}

std::string Row::text(std::size_t column) const {
  const auto& value = values_.at(column);
  if (const auto* text = std::get_if<std::string>(&value)) return *text;
  if (const auto* number = std::get_if<std::int64_t>(&value)) {
    return std::to_string(*number);
  }
  return {};
}

std::int64_t Row::integer(std::size_t column) const {
  const auto& value = values_.at(column);
  if (const auto* number = std::get_if<std::int64_t>(&value)) return *number;
  // An expression has no declared type, and then arrives as text.
  const auto* text = std::get_if<std::string>(&value);
  return text == nullptr ? 0 : base::parse_number<std::int64_t>(*text).value_or(0);
}

// A statement that SQLite has compiled once. SOCI keeps references to the exchanged
// values, so it never moves.
class Statement {
 public:
  // Throws soci::soci_error. The values give the type of each parameter.
  Statement(soci::session& session, const std::string& sql,
            const std::vector<Value>& values, bool wanted)
      : statement_(session), wanted_(wanted) {
    for (const auto& value : values) {
      if (std::holds_alternative<std::int64_t>(value)) {
        statement_.exchange(soci::use(numbers_.emplace_back()));
      } else {
        statement_.exchange(
            soci::use(texts_.emplace_back(), indicators_.emplace_back(soci::i_ok)));
      }
    }
    if (wanted) statement_.exchange(soci::into(row_));
    statement_.alloc();
    statement_.prepare(sql);
    statement_.define_and_bind();
  }
  Statement(const Statement&) = delete;
  Statement& operator=(const Statement&) = delete;

  // Throws soci::soci_error; then it must not be used again.
  void execute(const std::vector<Value>& values, const std::function<void(Row)>& take) {
    bind(values);
    bool got = statement_.execute(true);
    while (wanted_ && got) {
      std::vector<Value> columns;
      columns.reserve(row_.size());
      for (std::size_t i = 0; i < row_.size(); ++i)
        columns.push_back(column_value(row_, i));
      take(Row(std::move(columns)));
      got = statement_.fetch();
    }
  }

 private:
  void bind(const std::vector<Value>& values) {
    auto number = numbers_.begin();
    auto text = texts_.begin();
    auto indicator = indicators_.begin();
    for (const auto& value : values) {
      if (const auto* given = std::get_if<std::int64_t>(&value)) {
        *number++ = *given;
        continue;
      }
      const auto* given = std::get_if<std::string>(&value);
      *indicator++ = given == nullptr ? soci::i_null : soci::i_ok;
      *text++ = given == nullptr ? std::string() : *given;
    }
  }

  // A deque does not move its elements.
  std::deque<long long> numbers_;
  std::deque<std::string> texts_;
  std::deque<soci::indicator> indicators_;
  soci::row row_;
  soci::statement statement_;
  bool wanted_;
};

// Few statements take many forms; lists of names in them do. Beyond this number all are
// dropped.
constexpr std::size_t kMostKept = 400;

class Connection {
 public:
  // May throw soci::soci_error.
  explicit Connection(const std::string& path)
      : session_(soci::sqlite3, connection_string(path)) {
    // A commit is on disk when it returns. Not as a word of the connection string: SOCI
    // leaks the handle if that fails.
    plain("pragma synchronous = full");
  }

  // Throws soci::soci_error. The statement is kept for the next time: compiling it costs
  // several times its execution.
  Rows execute(const std::string& sql, const std::vector<Value>& values, bool wanted) {
    Rows rows;
    each(sql, values, wanted, [&](Row row) { rows.push_back(std::move(row)); });
    return rows;
  }

  void each(const std::string& sql, const std::vector<Value>& values, bool wanted,
            const std::function<void(Row)>& take) {
    std::string key = wanted ? "?" : "!";
    for (const auto& value : values) {
      key += std::holds_alternative<std::int64_t>(value) ? 'n' : 't';
    }
    key += sql;
    auto found = kept_.find(key);
    if (found == kept_.end()) {
      if (kept_.size() >= kMostKept) kept_.clear();
      auto made = std::make_unique<Statement>(session_, sql, values, wanted);
      found = kept_.emplace(std::move(key), std::move(made)).first;
    }
    try {
      found->second->execute(values, take);
    } catch (const soci::soci_error&) {
      kept_.erase(found);
      throw;
    }
  }

  void plain(const std::string& sql) { session_.once << sql; }

  // May throw soci::soci_error as execute() does; a failed commit is such a failure.
  void roll_back() {
    try {
      plain("rollback");
    } catch (const soci::soci_error&) {
      // SQLite has rolled back by itself after some failures, and reports that here.
    }
  }

 private:
  soci::session session_;
  std::unordered_map<std::string, std::unique_ptr<Statement>> kept_;
};

void Transaction::run(const std::string& sql, const std::vector<Value>& values) {
  connection_.execute(sql, values, false);
}

Rows Transaction::query(const std::string& sql, const std::vector<Value>& values) {
  return connection_.execute(sql, values, true);
}

void Transaction::each(const std::string& sql, const std::vector<Value>& values,
                       const std::function<void(const Row&)>& take) {
  connection_.each(sql, values, true, take);
}

std::int64_t Transaction::next_number(const std::string& what) {
  run("update numbers set last = last + 1 where what = :w", {what});
  return query("select last from numbers where what = :w", {what}).at(0).integer(0);
}

void Transaction::changed(const std::string& kind, const std::string& object) {
  for (const auto& one : changes_) {
    if (one.kind == kind && one.object == object && one.by == who_) return;
  }
  changes_.push_back({0, 0, kind, object, who_});
}

Database::Database(std::string path, Watch watch)
    : path_(std::move(path)), watch_(std::move(watch)) {}
Database::~Database() = default;

Refusal Database::enclose(Connection& connection, const char* begin, const Work& work) {
  try {
    connection.execute(begin, {}, false);
    Transaction transaction(connection);
    if (work(transaction)) {
      connection.execute("commit", {}, false);
    } else {
      connection.roll_back();
    }
    return {Kind::kIo, ""};
  } catch (const soci::soci_error& error) {
    connection.roll_back();
    return refusal_of(error);
  } catch (...) {
    // Out of memory, say: the connection must be usable for the next transaction.
    connection.roll_back();
    throw;
  }
}

Refusal Database::write_once(const Work& work, bool& changed) {
  auto next = identity();
  ++next.change;
  next.at = base::SystemClock{}.wall();
  bool done = false;
  changed = false;
  auto failure = enclose(*writer_, "begin immediate", [&](Transaction& transaction) {
    done = work(transaction);
    if (!done) return false;
    transaction.run("update identity set change = :c, at = :t", {next.change, next.at});
    for (const auto& one : transaction.changes_) {
      transaction.run(
          "insert into change_log (sequence, at, kind, object, by_whom) values (:s, :a, "
          ":k, :o, :b)",
          {transaction.next_number("change_log"), next.at, one.kind, one.object, one.by});
    }
    changed = !transaction.changes_.empty();
    return true;
  });
  const bool failed = !failure.sentence.empty();
  {
    const base::Lock lock(state_mutex_);
    if (failed) {
      write_failure_ = failure;
    } else if (done) {
      write_failure_.reset();
      identity_ = next;
    }
  }
  if (!failed && done && watch_.committed) watch_.committed(next);
  return failure;
}

Refusal Database::enclose_write(const Work& work) {
  bool changed = false;
  Refusal failure;
  {
    const base::Lock lock(writer_mutex_);
    failure = write_once(work, changed);
    if (failure.kind == Kind::kFull && watch_.make_room && watch_.make_room()) {
      failure = write_once(work, changed);
    }
  }
  if (failure.sentence.empty() && changed && changed_) changed_();
  return failure;
}

Refusal Database::enclose_read(const Work& work) {
  std::unique_ptr<Connection> reader;
  {
    base::Lock lock(readers_mutex_);
    while (free_readers_.empty() && readers_ >= kMostReaders) reader_free_.wait(lock);
    if (free_readers_.empty()) {
      ++readers_;
    } else {
      reader = std::move(free_readers_.back());
      free_readers_.pop_back();
    }
  }
  // Whatever happens, the next one that waits gets its turn.
  struct AtEnd {
    Database* database;
    std::unique_ptr<Connection>* reader;
    ~AtEnd() { database->give_back(std::move(*reader)); }
  } const at_end{this, &reader};
  try {
    if (!reader) reader = std::make_unique<Connection>(path_);
  } catch (const soci::soci_error& error) {
    return refusal_of(error);
  }
  return enclose(*reader, "begin", work);
}

void Database::give_back(std::unique_ptr<Connection> reader) {
  const base::Lock lock(readers_mutex_);
  if (reader) {
    free_readers_.push_back(std::move(reader));
  } else {
    --readers_;
  }
  reader_free_.notify_one();
}

Identity Database::identity() const {
  const base::Lock lock(state_mutex_);
  return identity_;
}

std::optional<Refusal> Database::write_failure() const {
  const base::Lock lock(state_mutex_);
  return write_failure_;
}

base::Outcome<void> Database::continue_behind(std::int64_t change) {
  {
    const base::Lock lock(state_mutex_);
    identity_.change = std::max(identity_.change, change);
  }
  return write([](Transaction&) { return base::Outcome<void>(); });
}

namespace {

constexpr const char* kCheck = "pragma quick_check(1)";
constexpr const char* kDamaged = "the database is damaged";

bool is_sound(const Rows& rows) {
  return rows.size() == 1 && rows.front().text(0) == "ok";
}

}  // namespace

base::Outcome<std::uint64_t> Database::give_room_back() {
  // Pages of 4 KiB. A piece takes some milliseconds.
  constexpr std::int64_t kWorthIt = 4096;
  constexpr std::int64_t kPiece = 512;
  std::uint64_t bytes = 0;
  try {
    while (true) {
      const base::Lock lock(writer_mutex_);
      const auto number = [&](const char* pragma) VANTRO_REQUIRES(writer_mutex_) {
        return writer_->execute(pragma, {}, true).front().integer(0);
      };
      const auto free = number("pragma freelist_count");
      if (free < kWorthIt) return bytes;
      writer_->execute(fmt::format("pragma incremental_vacuum({})", kPiece), {}, true);
      const auto left = number("pragma freelist_count");
      if (left >= free) return bytes;
      bytes += static_cast<std::uint64_t>((free - left) * number("pragma page_size"));
    }
  } catch (const soci::soci_error& error) {
    return base::refuse(refusal_of(error));
  }
}

namespace {

// Nothing: it has none yet.
std::optional<Identity> identity_in(Connection& writer) {
  const auto tables = writer.execute(
      "select name from sqlite_master where type = 'table' and name = 'identity'", {},
      true);
  if (tables.empty()) return std::nullopt;
  const auto rows = writer.execute("select id, change, at from identity", {}, true);
  if (rows.empty()) return std::nullopt;
  return Identity{rows.front().text(0), rows.front().integer(1), rows.front().integer(2)};
}

}  // namespace

base::Outcome<void> Database::prepare() {
  auto& writer = *writer_;
  writer.plain("pragma foreign_keys = on");
  const auto number = [&](const char* pragma) {
    return writer.execute(pragma, {}, true).front().integer(0);
  };
  unchecked_ = number("pragma page_count") * number("pragma page_size") > kCheckedAtOnce;
  if (!unchecked_ && !is_sound(writer.execute(kCheck, {}, true))) {
    return base::refuse(Kind::kCorrupt, fmt::format("{}: {}", path_, kDamaged));
  }
  auto identity = identity_in(writer);
  const bool made_before =
      !writer.execute("select name from sqlite_master limit 1", {}, true).empty();
  // Only in an empty file: it is a matter of the file's layout.
  if (!made_before) writer.plain("pragma auto_vacuum = incremental");
  if (made_before && watch_.belongs) {
    if (auto right = watch_.belongs(identity); !right) return right;
  }
  writer.plain("pragma journal_mode = wal");
  writer.plain(
      "create table if not exists schema_versions "
      "(version bigint primary key, what text not null, at bigint not null)");
  const auto& versions = schema_versions();
  const auto found =
      writer.execute("select coalesce(max(version), 0) from schema_versions", {}, true)
          .front()
          .integer(0);
  if (found > static_cast<std::int64_t>(versions.size())) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format(
            "{}: a newer vantrod wrote this (schema {}; this one knows {}); start "
            "the newer one",
            path_, found, versions.size()));
  }
  for (auto next = static_cast<std::size_t>(found); next < versions.size(); ++next) {
    const auto failure =
        enclose(writer, "begin immediate", [&](Transaction& transaction) {
          for (const auto& statement : versions[next].statements)
            transaction.run(statement);
          transaction.run(
              "insert into schema_versions (version, what, at) values (:v, :w, :t)",
              {static_cast<std::int64_t>(next + 1), versions[next].what,
               base::SystemClock{}.wall()});
          return true;
        });
    if (!failure.sentence.empty()) {
      return base::refuse(failure.kind, fmt::format("{}: schema {} could not be made: {}",
                                                    path_, next + 1, failure.sentence));
    }
  }
  if (!identity) {
    identity = Identity{watch_.new_id, 0, base::SystemClock{}.wall()};
    writer.execute("insert into identity values (:i, :c, :t)",
                   {identity->id, identity->change, identity->at}, false);
  }
  const base::Lock lock(state_mutex_);
  identity_ = *identity;
  return {};
}

base::Outcome<std::unique_ptr<Database>> Database::open(const std::string& path,
                                                        Watch watch) {
  if (path.find('"') != std::string::npos) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("{}: the path of the state must not hold a '\"'", path));
  }
  std::unique_ptr<Database> database(new Database(path, std::move(watch)));
  try {
    const base::Lock lock(database->writer_mutex_);
    database->writer_ = std::make_unique<Connection>(path);
    if (auto ready = database->prepare(); !ready) return base::refuse(ready.error());
    return database;
  } catch (const soci::soci_error& error) {
    const auto refusal = refusal_of(error);
    return base::refuse(refusal.kind, fmt::format("{}: {}", path, refusal.sentence));
  }
}

}  // namespace vantro::db
