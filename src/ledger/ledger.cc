#include "ledger/ledger.h"

#include <algorithm>
#include <new>

namespace vantro::ledger {

Ledger::Ledger(db::Database& database, base::Log log)
    : database_(database), log_(std::move(log)), writer_([this] { run(); }) {}

Ledger::~Ledger() {
  {
    const base::Lock lock(mutex_);
    stopping_ = true;
  }
  wake_.notify_all();
  writer_.join();
}

void Ledger::append(Entry entry) {
  {
    const base::Lock lock(mutex_);
    if (waiting_.size() >= kMostWaiting) {
      ++dropped_;
      return;
    }
    waiting_.push_back(std::move(entry));
  }
  wake_.notify_all();
}

void Ledger::record(db::Transaction& transaction, const Entry& entry) {
  const auto id =
      transaction.query("select coalesce(max(id), 0) + 1 from ledger").front().integer(0);
  db::Value sha256 = nullptr;
  if (!entry.sha256.empty()) sha256 = entry.sha256;
  db::Value total = nullptr;
  if (entry.total) total = static_cast<std::int64_t>(*entry.total);
  transaction.run(
      "insert into ledger (id, at, event, actor, device, protocol, heard_on, account, "
      "name, sha256, bytes, total, duration_ms, resent, outcome, sentence) values "
      "(:i, :a, :e, :w, :v, :p, :h, :k, :n, :s, :b, :t, :d, :r, :o, :c)",
      {id, entry.at, entry.event, entry.actor, entry.device, entry.protocol,
       entry.heard_on, entry.account, entry.name, sha256,
       static_cast<std::int64_t>(entry.bytes), total, entry.duration_ms,
       static_cast<std::int64_t>(entry.resent), entry.outcome, entry.sentence});
  if (entry.protocol.empty() || entry.protocol == "manage") return;
  transaction.run(
      "insert into last_contacts (actor, row, at) values (:w, :i, :a) on conflict "
      "(actor) do update set row = excluded.row, at = excluded.at",
      {entry.actor, id, entry.at});
}

base::Outcome<void> Ledger::flush() {
  const base::Lock one_at_a_time(flush_mutex_);
  std::vector<Entry> batch;
  std::uint64_t dropped = 0;
  {
    const base::Lock lock(mutex_);
    batch.swap(waiting_);
    std::swap(dropped, dropped_);
  }
  if (dropped > 0) log_.error("ledger rows were dropped", {{"rows", dropped}});
  if (batch.empty()) return {};
  base::Outcome<void> written = base::refuse(base::Kind::kBusy, "out of memory");
  try {
    written = database_.write([&](db::Transaction& t) -> base::Outcome<void> {
      for (const auto& entry : batch) record(t, entry);
      return {};
    });
  } catch (const std::bad_alloc&) {
    // As of a database that is busy: they wait.
  }
  if (!written) {
    const base::Lock lock(mutex_);
    // Back to the front: the order of rows is the order of events.
    for (auto& entry : waiting_) batch.push_back(std::move(entry));
    waiting_ = std::move(batch);
  }
  return written;
}

std::int64_t Ledger::give(db::Transaction& transaction, const std::string& actor,
                          const std::string& device) {
  const auto rows =
      transaction
          .query("select count(*) from ledger where actor = :a and device = ''", {actor})
          .front()
          .integer(0);
  transaction.run("update ledger set device = :d where actor = :a and device = ''",
                  {device, actor});
  return rows;
}

void Ledger::rename(db::Transaction& transaction, const std::string& device,
                    const std::string& to) {
  transaction.run("update ledger set device = :t where device = :d", {to, device});
}

base::Outcome<std::vector<Entry>> Ledger::newest(std::size_t most,
                                                 std::optional<std::int64_t> before,
                                                 const std::string& whose) {
  std::string where;
  std::vector<db::Value> values;
  if (before) {
    // By time, not by id: a gathered row gets its id a moment after its time.
    where = "where (at, id) < (select at, id from ledger where id = :b) ";
    values.emplace_back(*before);
  }
  if (!whose.empty()) {
    where +=
        std::string(where.empty() ? "where" : "and") + " (device = :w or actor = :a) ";
    values.emplace_back(whose);
    values.emplace_back(whose);
  }
  values.emplace_back(static_cast<std::int64_t>(most));
  return select(where + "order by at desc, id desc limit :m", values);
}

base::Outcome<std::vector<Entry>> Ledger::newest_of(const std::string& actor,
                                                    std::size_t most) {
  return select("where actor = :a order by at desc, id desc limit :m",
                {actor, static_cast<std::int64_t>(most)});
}

base::Outcome<std::vector<Entry>> Ledger::last_of_each(std::size_t most) {
  return select(
      "where id in (select row from last_contacts order by at desc, row desc limit :m) "
      "order by at desc, id desc",
      {static_cast<std::int64_t>(most)});
}

base::Outcome<std::vector<std::int64_t>> Ledger::absences(
    const std::string& sha256, const std::optional<std::string>& actor,
    std::size_t most) {
  write_out();
  using Result = base::Outcome<std::vector<std::int64_t>>;
  return database_.read([&](db::Transaction& t) -> Result {
    const std::string query =
        "select (select n.at - n.duration_ms from ledger n where n.actor = l.actor "
        "and n.at > l.at order by n.at limit 1) - l.at from ledger l where l.sha256 = :s "
        "and "
        "l.event = 'fetch' and l.outcome = 'complete' ";
    const std::string order = "order by l.at desc limit :m";
    const auto limit = static_cast<std::int64_t>(most);
    const auto rows =
        actor ? t.query(query + "and l.actor = :a " + order, {sha256, *actor, limit})
              : t.query(query + order, {sha256, limit});
    std::vector<std::int64_t> result;
    for (const auto& row : rows) {
      // Negative: it fetched two things at once.
      if (!row.is_null(0) && row.integer(0) >= 0) result.push_back(row.integer(0));
    }
    return result;
  });
}

void Ledger::write_out() {
  if (auto flushed = flush(); !flushed) {
    log_.warning("the ledger can't be written", {{"why", flushed.error().sentence}});
  }
}

base::Outcome<std::vector<Entry>> Ledger::select(const std::string& which,
                                                 const std::vector<db::Value>& values) {
  write_out();
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<Entry>> {
    const auto rows = t.query(
        "select id, at, event, actor, protocol, heard_on, name, sha256, bytes, total, "
        "duration_ms, resent, outcome, sentence, account, device from ledger " +
            which,
        values);
    std::vector<Entry> entries;
    entries.reserve(rows.size());
    for (const auto& row : rows) {
      Entry entry;
      entry.id = row.integer(0);
      entry.at = row.integer(1);
      entry.event = row.text(2);
      entry.actor = row.text(3);
      entry.protocol = row.text(4);
      entry.heard_on = row.text(5);
      entry.name = row.text(6);
      entry.sha256 = row.text(7);
      entry.bytes = static_cast<std::uint64_t>(row.integer(8));
      if (!row.is_null(9)) entry.total = static_cast<std::uint64_t>(row.integer(9));
      entry.duration_ms = row.integer(10);
      entry.resent = static_cast<std::uint64_t>(row.integer(11));
      entry.outcome = row.text(12);
      entry.sentence = row.text(13);
      entry.account = row.text(14);
      entry.device = row.text(15);
      entries.push_back(std::move(entry));
    }
    return entries;
  });
}

void Ledger::run() {
  base::Lock lock(mutex_);
  bool said = false;
  while (true) {
    while (!stopping_ && waiting_.empty()) wake_.wait(lock);
    // Rows that come within this time share one transaction and one sync.
    const auto until = std::chrono::steady_clock::now() + kBatchDelay;
    while (!stopping_ && wake_.wait_until(lock, until)) {
    }
    const bool last = stopping_;
    lock.unlock();
    const auto flushed = flush();
    if (!flushed && (!said || last)) {
      log_.error(last ? "ledger rows are lost, as the database did not take them"
                      : "the ledger can't be written; its rows wait in memory",
                 {{"why", flushed.error().sentence}});
    }
    said = !flushed.has_value();
    lock.lock();
    if (last) return;
  }
}

}  // namespace vantro::ledger
