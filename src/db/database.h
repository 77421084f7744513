// The metadata: one SQLite file, reached through SOCI so that another database can be put
// behind the same statements. No other room knows SOCI.
//
// Statements run in a transaction that a lambda gets:
//
//   auto count = database.read([&](db::Transaction& t) -> Outcome<std::int64_t> {
//     return t.query("select count(*) from images").front().integer(0);
//   });
//
// A failure inside (full disk, damage) ends the lambda and becomes a refusal that
// holds no values. The lambda's own refusal rolls back as well.
//
// Thread-safe: one writer at a time, and beside it as many readers as there are
// connections for them: a slow one holds up nobody else.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <type_traits>
#include <variant>
#include <vector>

#include "base/mutex.h"
#include "base/outcome.h"
#include "base/state_identity.h"

namespace vantro::db {

using Value = std::variant<std::nullptr_t, std::int64_t, std::string>;

class Row {
 public:
  explicit Row(std::vector<Value> values) : values_(std::move(values)) {}

  bool is_null(std::size_t column) const;
  // "" and 0 for null.
  std::string text(std::size_t column) const;
  std::int64_t integer(std::size_t column) const;

 private:
  std::vector<Value> values_;
};

using Rows = std::vector<Row>;

using Identity = base::StateIdentity;

// A row of the change log: a change that snapshots and listeners depend on.
struct Change {
  std::int64_t sequence = 0;  // in the order of the commits, without gaps
  base::WallTime at = 0;
  std::string kind;    // "offer", "device"
  std::string object;  // its name, as given by the room that changed it
  std::string by;      // who changed it
};

// An open connection.
class Connection;

// Lives only while the lambda runs.
class Transaction {
 public:
  explicit Transaction(Connection& connection) : connection_(connection) {}
  Transaction(const Transaction&) = delete;
  Transaction& operator=(const Transaction&) = delete;

  // Parameters are named :a, :b ... in the statement and used in the order in which they
  // appear there.
  void run(const std::string& sql, const std::vector<Value>& values = {});
  Rows query(const std::string& sql, const std::vector<Value>& values = {});
  // Row by row, for results of perhaps a million rows. The lambda must run no statements.
  void each(const std::string& sql, const std::vector<Value>& values,
            const std::function<void(const Row&)>& take);

  // A number that no row of this kind had before, and none will get again.
  std::int64_t next_number(const std::string& what);

  // Who makes the changes that are noted from here on.
  void acting(std::string who) { who_ = std::move(who); }
  // Adds a row to the change log when the transaction is committed; once for each object.
  // All code that writes the source of a snapshot calls this.
  void changed(const std::string& kind, const std::string& object);

 private:
  friend class Database;

  Connection& connection_;
  std::string who_ = "server";
  std::vector<Change> changes_;
};

// Questions and reports to the opener of a database.
struct Watch {
  // The identity of a database that has none.
  std::string new_id = {};
  // Before an existing database is changed: whether it is the right one. No identity is
  // given for a database from before identities existed.
  std::function<base::Outcome<void>(const std::optional<Identity>&)> belongs = {};
  // After each commit, in the order of the commits; on the thread that wrote.
  std::function<void(const Identity&)> committed = {};
  // The disk is full: whether there is space now, so that the work is tried once more.
  std::function<bool()> make_room = {};
};

class Database {
 public:
  // How many readers at once; one more waits for the first of them.
  static constexpr std::size_t kMostReaders = 16;
  static constexpr std::int64_t kCheckedAtOnce = std::int64_t{256} << 20;

  // Opens or makes the file and migrates its schema to this program's version. Refused:
  // kCorrupt if it is damaged or not a database, kInvalid if a newer program wrote it. A
  // file of more than kCheckedAtOnce bytes is checked later: reading it all would take
  // longer than devices should wait for a start.
  static base::Outcome<std::unique_ptr<Database>> open(const std::string& path,
                                                       Watch watch = {});
  ~Database();

  // Committed and on disk when it returns a value; nothing has changed when it returns a
  // refusal. The work may run twice: the second time after everything of the first was
  // undone.
  template <class F>
  std::invoke_result_t<F, Transaction&> write(F work) {
    using Result = std::invoke_result_t<F, Transaction&>;
    Result result = base::refuse(base::Kind::kIo, "");
    const auto failure = enclose_write([&](Transaction& transaction) {
      result = work(transaction);
      return result.has_value();
    });
    if (!failure.sentence.empty()) return base::refuse(failure);
    return result;
  }

  template <class F>
  std::invoke_result_t<F, Transaction&> read(F work) {
    using Result = std::invoke_result_t<F, Transaction&>;
    Result result = base::refuse(base::Kind::kIo, "");
    const auto failure = enclose_read([&](Transaction& transaction) {
      result = work(transaction);
      return result.has_value();
    });
    if (!failure.sentence.empty()) return base::refuse(failure);
    return result;
  }

  // `then` is called after each commit that wrote to the change log, before write()
  // returns, on its thread; it may read. REQUIRES: nobody writes yet.
  void on_change(std::function<void()> then) { changed_ = std::move(then); }

  Identity identity() const;
  // The change number continues after this one: another database was ahead.
  base::Outcome<void> continue_behind(std::int64_t change);
  // Whether it was too large for a check when it was opened: check_database() does that
  // later (db/copy.h).
  bool unchecked() const { return unchecked_; }
  // Returns the space of removed rows to the disk, a piece at a time, so that nobody
  // waits for long; returns the bytes. A small amount stays. A file of a version before
  // 0.1.0's schema 15 keeps its space, and uses it again.
  base::Outcome<std::uint64_t> give_room_back();
  // Why the last transaction that should have been written was not; nothing if it was
  // committed, or refused by its own work.
  std::optional<base::Refusal> write_failure() const;

 private:
  using Work = std::function<bool(Transaction&)>;

  Database(std::string path, Watch watch);

  base::Outcome<void> prepare() VANTRO_REQUIRES(writer_mutex_);
  // The refusal has an empty sentence if no statement failed.
  base::Refusal enclose_write(const Work& work);
  base::Refusal enclose_read(const Work& work);
  // Null: it could not be made.
  void give_back(std::unique_ptr<Connection> reader);
  // `changed`: a row was added to the change log.
  base::Refusal write_once(const Work& work, bool& changed)
      VANTRO_REQUIRES(writer_mutex_);
  // Runs the work between begin and commit (if it returned true) or rollback.
  static base::Refusal enclose(Connection& connection, const char* begin,
                               const Work& work);

  const std::string path_;
  const Watch watch_;
  bool unchecked_ = false;         // constant after open()
  std::function<void()> changed_;  // constant after on_change()
  base::Mutex writer_mutex_;
  std::unique_ptr<Connection> writer_ VANTRO_GUARDED_BY(writer_mutex_);
  mutable base::Mutex state_mutex_;
  Identity identity_ VANTRO_GUARDED_BY(state_mutex_);
  std::optional<base::Refusal> write_failure_ VANTRO_GUARDED_BY(state_mutex_);
  base::Mutex readers_mutex_;
  base::Condition reader_free_;
  std::vector<std::unique_ptr<Connection>> free_readers_
      VANTRO_GUARDED_BY(readers_mutex_);
  std::size_t readers_ VANTRO_GUARDED_BY(readers_mutex_) = 0;
};

}  // namespace vantro::db
