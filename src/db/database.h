// The metadata, in one SQLite file or in a PostgreSQL database that several nodes share,
// reached through SOCI. No other room knows SOCI.
//
// Statements run in a transaction that a lambda gets:
//
//   auto count = database.read([&](db::Transaction& t) -> Outcome<std::int64_t> {
//     return t.query("select count(*) from images").front().integer(0);
//   });
//
// A failure inside (full disk, damage, a lost connection) ends the lambda and becomes a
// refusal that holds no values. The lambda's own refusal rolls back as well.
//
// Thread-safe: one writer at a time, among all nodes, and beside it as many readers as
// there are connections for them: a slow one holds up nobody else.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <type_traits>
#include <variant>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "base/state_identity.h"

namespace vantro::db {

using Value = std::variant<std::nullptr_t, std::int64_t, std::string>;

class Row {
 public:
  explicit Row(std::vector<Value> values) : values_(std::move(values)) {}

  std::size_t size() const { return values_.size(); }
  bool is_null(std::size_t column) const;
  bool is_integer(std::size_t column) const {
    return std::holds_alternative<std::int64_t>(values_.at(column));
  }
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

// An open connection, and the kind of database behind it.
class Connection;
class ConnectionSocket;
class Engine;
class ServerWatch;

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

  // Many rows in few statements. `into`: "insert into images (id, name)"; `behind`: "on
  // conflict do nothing".
  void insert(const std::string& into, const std::vector<std::vector<Value>>& rows,
              const std::string& behind = "");

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
  // Before a new one is begun in an empty database.
  std::function<base::Outcome<void>()> begins = {};
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
  // `where`: the path of a file, or "postgresql://..." (libpq's form of an address).
  static base::Outcome<std::unique_ptr<Database>> open(const std::string& where,
                                                       Watch watch = {});
  ~Database();
  // What an address of PostgreSQL holds. kInvalid: it is not one.
  struct Address {
    bool has_password = false;
    std::vector<std::string> files;  // certificates and keys
  };
  static base::Outcome<Address> address_of(const std::string& url);
  // Whether it answers and is fit to be used; nothing is changed there.
  static base::Outcome<void> check(const std::string& where);
  // For people: the path, or which database on which server, without user and password.
  static std::string shown(const std::string& where);

  // Committed and on disk when it returns a value; nothing has changed when it returns a
  // refusal, unless the connection was lost while it was committed and does not come
  // back: then it may have. The work may run several times: each time after everything
  // of the one before was undone.
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

  // As write(), but waits for no writer, and no writer for it: for rows on which nothing
  // else depends, such as which nodes live. Notes no changes, and is not repeated if the
  // connection is lost. `now`: the database's clock, which is the same for all nodes.
  template <class F>
  std::invoke_result_t<F, Transaction&, base::WallTime> aside(F work) {
    using Result = std::invoke_result_t<F, Transaction&, base::WallTime>;
    Result result = base::refuse(base::Kind::kIo, "");
    const auto failure = enclose_aside([&](Transaction& transaction, base::WallTime now) {
      result = work(transaction, now);
      return result.has_value();
    });
    if (!failure.sentence.empty()) return base::refuse(failure);
    return result;
  }

  // `then` is called after each commit that wrote to the change log, before write()
  // returns, on its thread; it may read. Where other nodes write to it, too, it is also
  // called after theirs, on a thread of its own, within a second or two. Null: no more;
  // nobody calls it when this returns. REQUIRES: nobody writes.
  void on_change(std::function<void()> then);

  // Whether other nodes may write to it.
  bool shared() const;
  // As shown().
  std::string name() const;
  // Since when it does not answer, and why, for people; nothing while it does.
  struct Away {
    base::WallTime since = 0;
    std::string why;
  };
  std::optional<Away> away() const;
  // Of the last transaction of this program.
  Identity identity() const;
  // The change number continues after this one: another database was ahead.
  base::Outcome<void> continue_behind(std::int64_t change);
  // Whether it was too large for a check when it was opened: check_database() does that
  // later (db/copy.h).
  bool unchecked() const { return unchecked_; }
  // How much of the disk it needs.
  base::Outcome<std::uint64_t> bytes();
  // Returns the space of removed rows to the disk, a piece at a time, so that nobody
  // waits for long; returns the bytes. A small amount stays. A file of a version before
  // 0.1.0's schema 15 keeps its space, and uses it again.
  base::Outcome<std::uint64_t> give_room_back();
  // Why the last transaction that should have been written was not; nothing if it was
  // committed, or refused by its own work.
  std::optional<base::Refusal> write_failure() const;

 private:
  using Work = std::function<bool(Transaction&)>;

  Database(std::unique_ptr<Engine> engine, Watch watch);

  base::Outcome<void> prepare() VANTRO_REQUIRES(writer_mutex_);
  // The refusal has an empty sentence if no statement failed.
  base::Refusal enclose_write(const Work& work);
  base::Refusal enclose_read(const Work& work);
  base::Refusal enclose_aside(
      const std::function<bool(Transaction&, base::WallTime)>& work);
  // Null: it could not be made, or is of no use any more.
  void give_back(std::unique_ptr<Connection> reader);
  // `changed`: a row was added to the change log.
  base::Refusal write_once(const Work& work, bool& changed)
      VANTRO_REQUIRES(writer_mutex_);

  enum class End {
    kDone,     // committed; or rolled back, as the work wanted
    kFailed,   // rolled back
    kTurn,     // rolled back, as another transaction was in the way
    kLost,     // the connection was lost, and with it the transaction
    kInDoubt,  // the connection was lost while it was committed
  };
  struct Ended {
    End end = End::kDone;
    base::Refusal refusal{};  // with an empty sentence if it is done
  };
  // Runs the work between begin and commit (if it returned true) or rollback. A
  // connection that was lost before is made again.
  Ended enclose(std::unique_ptr<Connection>& connection, const char* begin,
                const Work& work);
  // Refuses at once if it was tried in vain a moment before.
  base::Outcome<std::unique_ptr<Connection>> connect();
  // Nothing, too, if nobody watches and would find out that it is back.
  std::optional<base::Refusal> known_to_be_away() const;
  // It is not away, or not any more.
  void answers();
  // It does not answer: whoever waits for it need not wait longer.
  void is_silent(const std::string& why);
  // What became of a transaction whose commit was not answered.
  Ended find_out(std::unique_ptr<Connection>& connection, const std::string& number,
                 const base::Refusal& lost);
  base::Outcome<void> make_schema() VANTRO_REQUIRES(writer_mutex_);

  const std::unique_ptr<Engine> engine_;
  const Watch watch_;
  const base::SystemClock clock_;
  bool unchecked_ = false;         // constant after open()
  std::function<void()> changed_;  // constant after on_change()
  base::Mutex writer_mutex_;
  std::unique_ptr<Connection> writer_ VANTRO_GUARDED_BY(writer_mutex_);
  base::Mutex aside_mutex_;
  std::unique_ptr<Connection> aside_ VANTRO_GUARDED_BY(aside_mutex_);
  mutable base::Mutex state_mutex_;
  Identity identity_ VANTRO_GUARDED_BY(state_mutex_);
  std::optional<base::Refusal> write_failure_ VANTRO_GUARDED_BY(state_mutex_);
  std::optional<Away> away_ VANTRO_GUARDED_BY(state_mutex_);
  std::vector<std::weak_ptr<ConnectionSocket>> sockets_ VANTRO_GUARDED_BY(state_mutex_);
  base::Refusal away_refusal_ VANTRO_GUARDED_BY(state_mutex_){};
  base::Instant tried_at_ VANTRO_GUARDED_BY(state_mutex_){};
  base::Mutex readers_mutex_;
  base::Condition reader_free_;
  std::vector<std::unique_ptr<Connection>> free_readers_
      VANTRO_GUARDED_BY(readers_mutex_);
  std::size_t readers_ VANTRO_GUARDED_BY(readers_mutex_) = 0;
  std::unique_ptr<ServerWatch> server_watch_;  // last: it calls this; null: no server
};

}  // namespace vantro::db
