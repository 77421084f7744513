#include "ledger/ledger.h"

#include <algorithm>
#include <iterator>

namespace vantro::ledger {

Ledger::Ledger(db::Database& database, base::Log log)
    : database_(database), log_(std::move(log)), writer_([this] { run(); }) {}

Ledger::~Ledger() {
  {
    const std::lock_guard lock(mutex_);
    stopping_ = true;
  }
  wake_.notify_all();
  writer_.join();
}

void Ledger::append(Entry entry) {
  {
    const std::lock_guard lock(mutex_);
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
      "insert into ledger (id, at, event, actor, protocol, name, sha256, bytes, total, "
      "duration_ms, resent, outcome, sentence) values "
      "(:i, :a, :e, :w, :p, :n, :s, :b, :t, :d, :r, :o, :c)",
      {id, entry.at, entry.event, entry.actor, entry.protocol, entry.name, sha256,
       static_cast<std::int64_t>(entry.bytes), total, entry.duration_ms,
       static_cast<std::int64_t>(entry.resent), entry.outcome, entry.sentence});
}

base::Outcome<void> Ledger::flush() {
  const std::lock_guard one_at_a_time(flush_mutex_);
  std::vector<Entry> batch;
  std::uint64_t dropped = 0;
  {
    const std::lock_guard lock(mutex_);
    batch.swap(waiting_);
    std::swap(dropped, dropped_);
  }
  if (dropped > 0) log_.error("ledger rows were dropped", {{"rows", dropped}});
  if (batch.empty()) return {};
  auto written = database_.write([&](db::Transaction& t) -> base::Outcome<void> {
    for (const auto& entry : batch) record(t, entry);
    return {};
  });
  if (!written) {
    const std::lock_guard lock(mutex_);
    // Back to the front: the order of rows is the order of events.
    batch.insert(batch.end(), std::make_move_iterator(waiting_.begin()),
                 std::make_move_iterator(waiting_.end()));
    waiting_ = std::move(batch);
  }
  return written;
}

base::Outcome<std::vector<Entry>> Ledger::newest(std::size_t most,
                                                 std::optional<std::int64_t> before) {
  if (auto flushed = flush(); !flushed) {
    log_.warning("the ledger can't be written", {{"why", flushed.error().sentence}});
  }
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<Entry>> {
    // By time, not by id: a gathered row gets its id a moment after its time.
    const std::string columns =
        "select id, at, event, actor, protocol, name, sha256, bytes, total, duration_ms, "
        "resent, outcome, sentence from ledger ";
    const std::string order = "order by at desc, id desc limit :m";
    const auto limit = static_cast<std::int64_t>(most);
    const auto rows =
        before
            ? t.query(columns +
                          "where (at, id) < (select at, id from ledger where id = :b) " +
                          order,
                      {*before, limit})
            : t.query(columns + order, {limit});
    std::vector<Entry> entries;
    entries.reserve(rows.size());
    for (const auto& row : rows) {
      Entry entry;
      entry.id = row.integer(0);
      entry.at = row.integer(1);
      entry.event = row.text(2);
      entry.actor = row.text(3);
      entry.protocol = row.text(4);
      entry.name = row.text(5);
      entry.sha256 = row.text(6);
      entry.bytes = static_cast<std::uint64_t>(row.integer(7));
      if (!row.is_null(8)) entry.total = static_cast<std::uint64_t>(row.integer(8));
      entry.duration_ms = row.integer(9);
      entry.resent = static_cast<std::uint64_t>(row.integer(10));
      entry.outcome = row.text(11);
      entry.sentence = row.text(12);
      entries.push_back(std::move(entry));
    }
    return entries;
  });
}

void Ledger::run() {
  std::unique_lock lock(mutex_);
  bool said = false;
  while (true) {
    wake_.wait(lock, [this] { return stopping_ || !waiting_.empty(); });
    // Rows that come within this time share one transaction and one sync.
    wake_.wait_for(lock, kBatchDelay, [this] { return stopping_; });
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
