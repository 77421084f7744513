#include "db/database.h"

#include <algorithm>
#include <fmt/format.h>
#include <thread>

#include "db/connection.h"
#include "db/engine.h"
#include "db/schema.h"
#include "db/server_watch.h"

namespace vantro::db {
namespace {

using base::Kind;
using base::Refusal;

// How often a transaction begins again that others were in the way of.
constexpr int kMostTurns = 8;
constexpr std::chrono::milliseconds kTurnPause{20};
// How long a database that does not answer is left alone: nobody waits for it meanwhile.
constexpr std::chrono::seconds kLeftAlone{1};
// How long the fate of a commit is asked for.
constexpr std::chrono::seconds kFindsOut{15};
constexpr std::chrono::milliseconds kAsksAgain{250};

}  // namespace

void Transaction::run(const std::string& sql, const std::vector<Value>& values) {
  connection_.run(sql, values);
}

Rows Transaction::query(const std::string& sql, const std::vector<Value>& values) {
  return connection_.execute(sql, values);
}

void Transaction::each(const std::string& sql, const std::vector<Value>& values,
                       const std::function<void(const Row&)>& take) {
  connection_.each(sql, values, take);
}

namespace {

// "(:v0, :v1), (:v2, :v3)"
std::string places(std::size_t rows, std::size_t columns) {
  std::string text;
  for (std::size_t i = 0; i < rows * columns; ++i) {
    text += i % columns != 0 ? ", " : i == 0 ? "(" : ", (";
    text += ":v" + std::to_string(i);
    if (i % columns == columns - 1) text += ')';
  }
  return text;
}

}  // namespace

// Each statement is one way to the database and back. They have a few sizes, so that few
// are compiled.
void Transaction::insert(const std::string& into,
                         const std::vector<std::vector<Value>>& rows,
                         const std::string& behind) {
  constexpr std::array<std::size_t, 3> kSizes{64, 8, 1};
  for (std::size_t at = 0; at < rows.size();) {
    const auto left = rows.size() - at;
    const auto count = *std::find_if(kSizes.begin(), kSizes.end(),
                                     [&](std::size_t size) { return size <= left; });
    std::vector<Value> values;
    for (std::size_t i = at; i < at + count; ++i) {
      values.insert(values.end(), rows[i].begin(), rows[i].end());
    }
    run(into + " values " + places(count, rows[at].size()) + behind, values);
    at += count;
  }
}

std::int64_t Transaction::next_number(const std::string& what) {
  return query("update numbers set last = last + 1 where what = :w returning last",
               {what})
      .at(0)
      .integer(0);
}

void Transaction::changed(const std::string& kind, const std::string& object) {
  for (const auto& one : changes_) {
    if (one.kind == kind && one.object == object && one.by == who_) return;
  }
  changes_.push_back({0, 0, kind, object, who_});
}

Database::Database(std::unique_ptr<Engine> engine, Watch watch)
    : engine_(std::move(engine)), watch_(std::move(watch)) {}
Database::~Database() = default;

base::Outcome<Database::Address> Database::address_of(const std::string& url) {
  return Engine::address_of(url);
}

std::string Database::shown(const std::string& where) {
  const auto engine = Engine::of(where);
  return engine ? (*engine)->name() : where;
}

bool Database::shared() const { return engine_->shared(); }
std::string Database::name() const { return engine_->name(); }

base::Outcome<std::unique_ptr<Connection>> Database::connect() {
  {
    const base::Lock lock(state_mutex_);
    const auto now = clock_.now();
    if (away_ && now < tried_at_ + kLeftAlone) return base::refuse(away_refusal_);
    // Before the attempt, which may take some seconds: others need not wait for it, too.
    tried_at_ = now + std::chrono::seconds(away_ ? 3 : 0);
  }
  try {
    auto made = std::make_unique<Connection>(*engine_);
    answers();
    if (engine_->shared()) {
      const base::Lock lock(state_mutex_);
      std::erase_if(sockets_, [](const auto& one) { return one.expired(); });
      sockets_.push_back(made->socket());
    }
    return made;
  } catch (const soci::soci_error& error) {
    const auto refusal = engine_->refusal_of(error);
    const base::Lock lock(state_mutex_);
    tried_at_ = clock_.now();
    if (engine_->how(error) == Engine::Failed::kConnection) {
      if (!away_) away_ = Away{clock_.wall(), ""};
      away_->why = engine_->why_gone(error);
      away_refusal_ = refusal;
    }
    return base::refuse(refusal);
  }
}

void Database::answers() {
  const base::Lock lock(state_mutex_);
  // What failed meanwhile failed for that.
  if (away_) write_failure_.reset();
  away_.reset();
}

void Database::is_silent(const std::string& why) {
  // Those that a server that has stopped would keep for ever.
  std::vector<std::shared_ptr<ConnectionSocket>> sockets;
  {
    const base::Lock lock(state_mutex_);
    if (!away_) away_ = Away{clock_.wall(), ""};
    away_->why = engine_->why_gone(NotConnected(why));
    away_refusal_ = engine_->refusal_of(NotConnected(why));
    tried_at_ = clock_.now();
    for (const auto& one : sockets_) {
      if (auto socket = one.lock()) sockets.push_back(std::move(socket));
    }
    sockets_.clear();
  }
  for (const auto& one : sockets) one->cut();
}

void Database::on_change(std::function<void()> then) {
  server_watch_.reset();
  changed_ = std::move(then);
  const auto server = engine_->server();
  if (!changed_ || server.empty()) return;
  server_watch_ = std::make_unique<ServerWatch>(
      server, ServerWatch::Hears{[this] { changed_(); },
                                 [this](const std::string& why) { is_silent(why); },
                                 [this] { answers(); }});
}

std::optional<Database::Away> Database::away() const {
  const base::Lock lock(state_mutex_);
  return away_;
}

Database::Ended Database::enclose(std::unique_ptr<Connection>& connection,
                                  const char* begin, const Work& work) {
  bool begun = false;
  bool committing = false;
  for (bool again = false;; again = true) {
    const bool old = connection != nullptr;
    if (!old) {
      auto made = connect();
      if (!made) return {End::kFailed, made.error()};
      connection = std::move(*made);
    }
    try {
      connection->plain(begin);
      begun = true;
      Transaction transaction(*connection);
      if (work(transaction)) {
        committing = true;
        connection->plain("commit");
      } else {
        connection->roll_back();
      }
      // Two that connect at once may see different things: the later one has failed, and
      // this one goes on.
      if (engine_->shared()) answers();
      return {};
    } catch (const soci::soci_error& error) {
      const Refusal refusal = engine_->refusal_of(error);
      switch (engine_->how(error)) {
        case Engine::Failed::kConnection:
          connection.reset();
          // Since its last transaction: nothing of this one was done.
          if (!begun && old && !again) continue;
          return {committing ? End::kInDoubt : End::kLost, refusal};
        case Engine::Failed::kTurn:
          connection->roll_back();
          return {End::kTurn, refusal};
        case Engine::Failed::kStatement:
          connection->roll_back();
          return {End::kFailed, refusal};
      }
    } catch (...) {
      // Out of memory, say: the connection must be usable for the next transaction.
      if (connection) connection->roll_back();
      throw;
    }
  }
}

Database::Ended Database::find_out(std::unique_ptr<Connection>& connection,
                                   const std::string& number, const Refusal& lost) {
  const auto until = clock_.now() + kFindsOut;
  while (true) {
    if (!connection) {
      if (auto made = connect()) connection = std::move(*made);
    }
    try {
      if (connection) {
        switch (engine_->fate_of(*connection, number)) {
          case Engine::Fate::kCommitted:
            return {};
          case Engine::Fate::kNot:
            return {End::kLost, lost};
          case Engine::Fate::kUnknown:
            break;  // it still ends
        }
      }
    } catch (const soci::soci_error&) {
      connection.reset();
    }
    if (clock_.now() >= until) {
      auto refusal = lost;
      refusal.sentence +=
          "; whether this was recorded is not known, so look before you repeat it";
      return {End::kInDoubt, refusal};
    }
    std::this_thread::sleep_for(kAsksAgain);
  }
}

Refusal Database::write_once(const Work& work, bool& changed) {
  Identity next;
  bool done = false;
  std::string number;
  const auto whole = [&](Transaction& transaction) {
    done = work(transaction);
    if (!done) return false;
    next.at = clock_.wall();
    const auto row = transaction
                         .query(
                             "update identity set change = change + 1, at = :t returning "
                             "id, change, " +
                                 engine_->transaction_number(),
                             {next.at})
                         .at(0);
    next.id = row.text(0);
    next.change = row.integer(1);
    number = row.text(2);
    for (const auto& one : transaction.changes_) {
      transaction.run(
          "insert into change_log (sequence, at, kind, object, by_whom) values (:s, :a, "
          ":k, :o, :b)",
          {transaction.next_number("change_log"), next.at, one.kind, one.object, one.by});
    }
    changed = !transaction.changes_.empty();
    if (const auto told = engine_->announcement(); changed && !told.empty()) {
      transaction.run(told);
    }
    return true;
  };
  Ended ended;
  bool came_back = false;
  for (int turn = 0; turn < kMostTurns; ++turn) {
    changed = false;
    done = false;
    ended = enclose(writer_, engine_->begin_write(), whole);
    if (ended.end == End::kInDoubt) ended = find_out(writer_, number, ended.refusal);
    if (ended.end == End::kTurn) {
      std::this_thread::sleep_for(kTurnPause * (turn + 1));
    } else if (ended.end == End::kLost && !came_back) {
      came_back = true;  // once: the database was restarted, say
    } else {
      break;
    }
  }
  const bool failed = !ended.refusal.sentence.empty();
  {
    const base::Lock lock(state_mutex_);
    if (failed) {
      write_failure_ = ended.refusal;
    } else if (done) {
      write_failure_.reset();
      identity_ = next;
    }
  }
  if (!failed && done && watch_.committed) watch_.committed(next);
  return ended.refusal;
}

std::optional<Refusal> Database::known_to_be_away() const {
  if (!server_watch_) return std::nullopt;
  const base::Lock lock(state_mutex_);
  if (!away_) return std::nullopt;
  return away_refusal_;
}

Refusal Database::enclose_write(const Work& work) {
  bool changed = false;
  Refusal failure{Kind::kIo, ""};
  // Not even a turn of the writers is waited for.
  if (auto refusal = known_to_be_away()) return *refusal;
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
  if (auto refusal = known_to_be_away()) return *refusal;
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
  return enclose(reader, engine_->begin_read(), work).refusal;
}

Refusal Database::enclose_aside(
    const std::function<bool(Transaction&, base::WallTime)>& work) {
  if (auto refusal = known_to_be_away()) return *refusal;
  const base::Lock lock(aside_mutex_);
  const auto ended =
      enclose(aside_, engine_->begin_aside(), [&](Transaction& transaction) {
        const auto now = transaction.query("select " + engine_->clock()).at(0).integer(0);
        return work(transaction, now);
      });
  return ended.refusal;
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
  return write([&](Transaction& t) {
    t.run("update identity set change = :c where change < :c", {change});
    return base::Outcome<void>();
  });
}

base::Outcome<std::uint64_t> Database::bytes() {
  std::uint64_t bytes = 0;
  const auto refusal = enclose_read([&](Transaction& t) {
    bytes = engine_->bytes(t.connection_);
    return true;
  });
  if (!refusal.sentence.empty()) return base::refuse(refusal);
  return bytes;
}

base::Outcome<std::uint64_t> Database::give_room_back() {
  std::uint64_t bytes = 0;
  try {
    while (true) {
      const base::Lock lock(writer_mutex_);
      const auto given = writer_ ? engine_->give_room_back(*writer_) : 0;
      if (given == 0) return bytes;
      bytes += given;
    }
  } catch (const soci::soci_error& error) {
    return base::refuse(engine_->refusal_of(error));
  }
}

namespace {

// Nothing: it has none yet.
std::optional<Identity> identity_in(const Engine& engine, Connection& writer) {
  if (!engine.has_table(writer, "identity")) return std::nullopt;
  const auto rows = writer.execute("select id, change, at from identity");
  if (rows.empty()) return std::nullopt;
  return Identity{rows.front().text(0), rows.front().integer(1), rows.front().integer(2)};
}

}  // namespace

// Each version is one transaction, and looks again whether another node was faster.
base::Outcome<void> Database::make_schema() {
  const auto& versions = schema_versions();
  const auto newest = static_cast<std::int64_t>(versions.size());
  std::int64_t found = 0;
  const auto note = [&](Transaction& t) {
    t.run("insert into schema_versions (version, what, at) values (:v, :w, :t)",
          {found + 1, versions.at(static_cast<std::size_t>(found)).what, clock_.wall()});
    ++found;
  };
  const auto step = [&](Transaction& t) {
    t.run(engine_->of_schema(
        "create table if not exists schema_versions "
        "(version bigint primary key, what text not null, at bigint not null)"));
    found = t.query("select coalesce(max(version), 0) from schema_versions")
                .front()
                .integer(0);
    if (found >= newest) return true;
    if (const auto whole = found == 0 ? engine_->whole_schema() : Statements();
        !whole.empty()) {
      for (const auto& one : whole) t.run(engine_->of_schema(one));
      while (found < newest) note(t);
      return true;
    }
    for (const auto& one : versions.at(static_cast<std::size_t>(found)).statements) {
      t.run(engine_->of_schema(one));
    }
    note(t);
    return true;
  };
  do {
    const auto ended = enclose(writer_, engine_->begin_write(), step);
    if (!ended.refusal.sentence.empty()) {
      return base::refuse(ended.refusal.kind,
                          fmt::format("{}: schema {} could not be made: {}", name(),
                                      found + 1, ended.refusal.sentence));
    }
  } while (found < newest);
  if (found == newest) return {};
  return base::refuse(
      Kind::kInvalid,
      fmt::format("{}: a newer vantrod wrote this (schema {}; this one knows {}); start "
                  "the newer one",
                  name(), found, newest));
}

base::Outcome<void> Database::prepare() {
  if (auto fit = engine_->look(*writer_, unchecked_); !fit) return fit;
  auto identity = identity_in(*engine_, *writer_);
  const bool made_before = engine_->has_table(*writer_, "schema_versions");
  if (!made_before && watch_.begins) {
    if (auto may = watch_.begins(); !may) return may;
  }
  if (made_before && watch_.belongs) {
    if (auto right = watch_.belongs(identity); !right) return right;
  }
  engine_->make_ready(*writer_, made_before);
  if (auto made = make_schema(); !made) return made;
  if (!identity) {
    const auto ended = enclose(writer_, engine_->begin_write(), [&](Transaction& t) {
      t.run(
          "insert into identity (id, change, at) select :i, 0, :t where not exists "
          "(select 1 from identity)",
          {watch_.new_id, clock_.wall()});
      return true;
    });
    if (!ended.refusal.sentence.empty()) return base::refuse(ended.refusal);
    identity = identity_in(*engine_, *writer_);
    // Another node has made it in this moment.
    if (identity->id != watch_.new_id && watch_.belongs) {
      if (auto right = watch_.belongs(identity); !right) return right;
    }
  }
  const base::Lock lock(state_mutex_);
  identity_ = *identity;
  return {};
}

base::Outcome<void> Database::check(const std::string& where) {
  const auto engine = Engine::of(where);
  if (!engine) return base::refuse(engine.error());
  try {
    Connection connection(**engine);
    bool unchecked = false;
    return (*engine)->look(connection, unchecked);
  } catch (const soci::soci_error& error) {
    return base::refuse((*engine)->refusal_of(error).kind, (*engine)->why_gone(error));
  }
}

base::Outcome<std::unique_ptr<Database>> Database::open(const std::string& where,
                                                        Watch watch) {
  auto engine = Engine::of(where);
  if (!engine) return base::refuse(engine.error());
  std::unique_ptr<Database> database(new Database(std::move(*engine), std::move(watch)));
  const base::Lock lock(database->writer_mutex_);
  try {
    auto writer = database->connect();
    if (!writer) {
      const auto away = database->away();
      return base::refuse(
          writer.error().kind,
          away ? away->why
               : fmt::format("{}: {}", database->name(), writer.error().sentence));
    }
    database->writer_ = std::move(*writer);
    if (auto ready = database->prepare(); !ready) return base::refuse(ready.error());
  } catch (const soci::soci_error& error) {
    const auto refusal = database->engine_->refusal_of(error);
    return base::refuse(refusal.kind,
                        fmt::format("{}: {}", database->name(), refusal.sentence));
  }
  return database;
}

}  // namespace vantro::db
