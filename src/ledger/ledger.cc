#include "ledger/ledger.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <map>
#include <new>
#include <set>
#include <utility>

#include "base/clock.h"
#include "base/visible_name.h"
#include "ledger/chain.h"
#include "ledger/matching.h"

namespace vantro::ledger {

Ledger::Ledger(db::Database& database, base::Log log, std::string waiting_file)
    : database_(database), log_(std::move(log)), saved_(std::move(waiting_file)) {
  saved_rows_ = saved_.rows();
  writer_ = std::thread([this] { run(); });
}

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

namespace {

struct Last {
  std::int64_t id = 0;
  std::string chain;
};

// Of existing rows, or of removed ones.
Last last_row(db::Transaction& transaction) {
  const auto rows =
      transaction.query("select id, chain from ledger order by id desc limit 1");
  if (!rows.empty()) return {rows.front().integer(0), rows.front().text(1)};
  const auto cuts = transaction.query(
      "select last_row, chain from ledger_cuts order by last_row desc limit 1");
  if (cuts.empty()) return {};
  return {cuts.front().integer(0), cuts.front().text(1)};
}

const std::string kSelect =
    "select id, at, event, actor, protocol, heard_on, name, sha256, bytes, total, "
    "duration_ms, resent, outcome, sentence, account, device, came_from, chain, request, "
    "via "
    "from "
    "ledger ";

Entry entry_of(const db::Row& row) {
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
  entry.from = row.text(16);
  entry.chain = row.text(17);
  entry.request = row.text(18);
  entry.mirror = row.text(19);
  return entry;
}

using Values = std::vector<db::Value>;

std::vector<Entry> entries_of(const db::Rows& rows) {
  std::vector<Entry> entries;
  entries.reserve(rows.size());
  for (const auto& row : rows) entries.push_back(entry_of(row));
  return entries;
}

}  // namespace

void Ledger::record(db::Transaction& transaction, const Entry& entry) {
  record(transaction, std::vector<Entry>{entry});
}

void Ledger::record(db::Transaction& transaction, std::vector<Entry> entries) {
  auto last = last_row(transaction);
  std::vector<Values> rows;
  // Time and number of the last row of each address. Rows that waited come behind younger
  // ones.
  std::map<std::string, std::pair<base::WallTime, std::int64_t>> contacts;
  std::set<std::string> names;
  for (auto& entry : entries) {
    names.insert(base::folded(entry.name));
    entry.id = ++last.id;
    last.chain = entry.chain = chained(last.chain, entry);
    db::Value sha256 = nullptr;
    if (!entry.sha256.empty()) sha256 = entry.sha256;
    // As text, which the column turns into a number: with numbers here and nulls there,
    // each group of rows would be a statement of its own.
    db::Value total = nullptr;
    if (entry.total) total = std::to_string(*entry.total);
    // What a mirror heard, this server did not hear.
    if (entry.mirror.empty() && !entry.protocol.empty() && entry.protocol != "manage") {
      auto& contact = contacts[entry.actor];
      contact = std::max(contact, {entry.at, entry.id});
    }
    rows.push_back({entry.id,
                    entry.at,
                    entry.event,
                    entry.actor,
                    entry.device,
                    entry.protocol,
                    entry.heard_on,
                    entry.account,
                    entry.name,
                    sha256,
                    static_cast<std::int64_t>(entry.bytes),
                    total,
                    entry.duration_ms,
                    static_cast<std::int64_t>(entry.resent),
                    entry.outcome,
                    entry.sentence,
                    entry.from,
                    entry.request,
                    entry.mirror,
                    entry.chain});
  }
  transaction.insert(
      "insert into ledger (id, at, event, actor, device, protocol, heard_on, account, "
      "name, sha256, bytes, total, duration_ms, resent, outcome, sentence, came_from, "
      "request, via, chain)",
      rows);
  std::vector<Values> folded;
  for (const auto& name : names) folded.push_back({name});
  transaction.insert("insert into ledger_names (folded)", folded,
                     " on conflict do nothing");
  std::vector<Values> newest;
  for (const auto& [actor, contact] : contacts) {
    newest.push_back({actor, contact.second, contact.first});
  }
  transaction.insert("insert into last_contacts (actor, row, at)", newest,
                     " on conflict (actor) do update set row = excluded.row, at = "
                     "excluded.at where excluded.at >= last_contacts.at");
}

base::Outcome<void> Ledger::flush() {
  const base::Lock one_at_a_time(flush_mutex_);
  std::vector<Entry> batch;
  {
    const base::Lock lock(mutex_);
    batch.swap(waiting_);
  }
  if (saved_.rows() > 0) {
    // They are older.
    if (auto written = write_saved(); !written) {
      const base::Lock lock(mutex_);
      failing_why_ = written.error().sentence;
      batch.insert(batch.end(), std::make_move_iterator(waiting_.begin()),
                   std::make_move_iterator(waiting_.end()));
      waiting_ = std::move(batch);
      return written;
    }
  }
  if (batch.empty()) {
    const base::Lock lock(mutex_);
    failing_why_.clear();
    return {};
  }
  base::Outcome<void> written = base::refuse(base::Kind::kBusy, "out of memory");
  try {
    written = database_.write([&](db::Transaction& t) -> base::Outcome<void> {
      record(t, batch);
      return {};
    });
  } catch (const std::bad_alloc&) {
    // As from a database that is busy: they wait.
  }
  const base::Lock lock(mutex_);
  failing_why_ = written ? "" : written.error().sentence;
  if (written && dropped_ > 0) {
    log_.error("ledger rows were dropped while they could not be written",
               {{"rows", std::exchange(dropped_, 0)}});
  }
  if (!written) {
    // Back to the front: the order of rows is the order of events.
    for (auto& entry : waiting_) batch.push_back(std::move(entry));
    waiting_ = std::move(batch);
  }
  return written;
}

base::Outcome<void> Ledger::write_file(WaitingFile& file) {
  constexpr std::size_t kInOne = 5000;
  const bool has_id = !file.id().empty();  // not one of an earlier version
  const auto note = "ledger rows of file " + file.id();
  std::uint64_t before = 0;  // what an earlier attempt has written
  auto written = database_.read([&](db::Transaction& t) -> base::Outcome<void> {
    const auto rows = t.query("select last from numbers where what = :w", {note});
    before = rows.empty() ? 0 : static_cast<std::uint64_t>(rows.front().integer(0));
    return {};
  });
  if (!written) return written;
  std::uint64_t read = 0;
  written = file.each(kInOne, [&](std::vector<Entry> entries) -> base::Outcome<void> {
    const auto known =
        std::min<std::uint64_t>(before - std::min(before, read), entries.size());
    read += entries.size();
    entries.erase(entries.begin(), entries.begin() + static_cast<std::ptrdiff_t>(known));
    if (entries.empty()) return {};
    return database_.write([&](db::Transaction& t) -> base::Outcome<void> {
      record(t, entries);
      if (!has_id) return {};
      t.run(
          "insert into numbers (what, last) values (:w, :l) on conflict (what) do "
          "update set last = excluded.last",
          {note, static_cast<std::int64_t>(read)});
      return {};
    });
  });
  if (!written) return written;
  log_.info("rows of the ledger that waited in a file were written",
            {{"rows", file.rows()}});
  file.remove();
  // Left behind by a failure, it is a row that nobody asks for again.
  static_cast<void>(database_.write([&](db::Transaction& t) -> base::Outcome<void> {
    t.run("delete from numbers where what = :w", {note});
    return {};
  }));
  return {};
}

base::Outcome<void> Ledger::write_saved() {
  if (auto written = write_file(saved_); !written) return written;
  const base::Lock lock(mutex_);
  saved_rows_ = 0;
  return {};
}

base::Outcome<void> Ledger::write_left_behind(const std::string& path) {
  WaitingFile file(path);
  return file.rows() == 0 ? base::Outcome<void>() : write_file(file);
}

bool Ledger::save_waiting() {
  const base::Lock one_at_a_time(flush_mutex_);
  std::vector<Entry> batch;
  {
    const base::Lock lock(mutex_);
    batch.swap(waiting_);
  }
  const bool saved = batch.empty() || saved_.append(batch);
  const base::Lock lock(mutex_);
  saved_rows_ = saved_.rows();
  if (saved) return true;
  batch.insert(batch.end(), std::make_move_iterator(waiting_.begin()),
               std::make_move_iterator(waiting_.end()));
  waiting_ = std::move(batch);
  return false;
}

std::optional<Ledger::Failing> Ledger::failing() const {
  const base::Lock lock(mutex_);
  if (failing_why_.empty()) return std::nullopt;
  return Failing{waiting_.size() + saved_rows_, dropped_, failing_why_};
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
                                                 const Filter& filter) {
  const std::string order = "order by at desc, id desc";
  if (!before) return matching(filter, "", {}, order, most);
  // By time, not by id: a combined row gets its id a moment after its time.
  return matching(filter, "(at, id) < (select at, id from ledger where id = :b)",
                  {*before}, order, most);
}

base::Outcome<std::vector<Entry>> Ledger::after(const Place& place, std::size_t most,
                                                const Filter& filter) {
  return matching(filter, "(at, id) > (:t, :i)", {place.at, place.id}, "order by at, id",
                  most);
}

base::Outcome<std::vector<Entry>> Ledger::matching(const Filter& filter,
                                                   const std::string& condition,
                                                   const std::vector<db::Value>& values,
                                                   const std::string& order,
                                                   std::size_t most) {
  write_out();
  using Entries = std::vector<Entry>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Entries> {
    Matching matching(condition, values);
    if (!matching.apply(t, filter)) return Entries();
    const auto query = matching.first(order, most);
    return entries_of(t.query(kSelect + query.sql, query.values));
  });
}

base::Outcome<std::int64_t> Ledger::newest_row() const {
  return database_.read([](db::Transaction& t) -> base::Outcome<std::int64_t> {
    const auto rows = t.query("select id from ledger order by id desc limit 1");
    return rows.empty() ? 0 : rows.front().integer(0);
  });
}

base::Outcome<std::vector<Entry>> Ledger::oldest(std::size_t most,
                                                 base::WallTime before) {
  auto rows = select("order by id limit :m", {static_cast<std::int64_t>(most)});
  if (!rows) return rows;
  const auto young = std::find_if(rows->begin(), rows->end(),
                                  [&](const Entry& one) { return one.at >= before; });
  rows->erase(young, rows->end());
  return rows;
}

base::Outcome<std::vector<Entry>> Ledger::behind(std::int64_t row, std::size_t most) {
  return select("where id > :i order by id limit :m",
                {row, static_cast<std::int64_t>(most)});
}

base::Outcome<bool> Ledger::verify(ChainCheck& check, std::int64_t rows_wanted) {
  auto& found = check.found;
  auto& before = check.before;
  auto& at_row = found.last_row;
  const auto broken = [&](std::int64_t row, std::string sentence) {
    if (found.breaks.size() < Verified::kMostBreaks) {
      found.breaks.push_back({row, std::move(sentence)});
    }
  };
  if (at_row == 0) write_out();
  const auto whole = database_.read([&](db::Transaction& t) -> base::Outcome<bool> {
    if (at_row == 0) {
      // The chain begins after the rows that retention has removed.
      const auto cuts = t.query(
          "select last_row, chain from ledger_cuts order by last_row desc limit 1");
      if (!cuts.empty()) {
        at_row = cuts.front().integer(0);
        before = cuts.front().text(1);
      }
    }
    const auto rows =
        t.query(kSelect + "where id > :i order by id limit :m", {at_row, rows_wanted});
    for (const auto& row : rows) {
      const auto entry = entry_of(row);
      if (entry.id != at_row + 1) {
        broken(at_row + 1,
               entry.id == at_row + 2
                   ? fmt::format("row {} is missing", at_row + 1)
                   : fmt::format("rows {} to {} are missing", at_row + 1, entry.id - 1));
      }
      ++found.rows;
      if (entry.chain.empty() && before.empty()) {
        ++found.unchained;
      } else if (entry.id == at_row + 1 && entry.chain != chained(before, entry)) {
        broken(entry.id, fmt::format("row {} does not match the row before it; one of "
                                     "the two was changed",
                                     entry.id));
      }
      if (check.noted && entry.id == check.noted->first) {
        check.seen = true;
        if (entry.chain != check.noted->second) {
          broken(entry.id, fmt::format("row {} has the hash {}, not the one noted",
                                       entry.id, entry.chain));
        }
      }
      at_row = entry.id;
      before = entry.chain;
    }
    return rows.size() < static_cast<std::size_t>(rows_wanted);
  });
  if (!whole || !*whole) return whole;
  if (check.noted && !check.seen) {
    broken(check.noted->first,
           fmt::format("row {} is missing; it was there when its hash was noted",
                       check.noted->first));
  }
  found.last_hash = before;
  return true;
}

std::int64_t Ledger::cut(db::Transaction& transaction, std::int64_t last_row,
                         const std::string& file, const std::string& sha256,
                         base::WallTime now) {
  const auto chain =
      transaction.query("select chain from ledger where id = :i", {last_row});
  if (chain.empty()) return 0;
  const auto rows =
      transaction.query("select count(*) from ledger where id <= :i", {last_row})
          .front()
          .integer(0);
  transaction.run(
      "insert into ledger_cuts (last_row, chain, rows_cut, file, sha256, at) values (:l, "
      ":c, :r, :f, :s, :t)",
      {last_row, chain.front().text(0), rows, file, sha256, now});
  transaction.run(
      "delete from ledger_names where folded in (select lower(name) from ledger where id "
      "<= :i) and not exists (select 1 from ledger l where lower(l.name) = folded and "
      "l.id > :i)",
      {last_row});
  transaction.run("delete from ledger where id <= :i", {last_row});
  transaction.run("delete from last_contacts where row <= :i", {last_row});
  Entry entry;
  entry.at = now;
  entry.event = "ledger-cut";
  entry.actor = "server";
  entry.name = file;
  entry.sha256 = sha256;
  entry.outcome = "done";
  entry.sentence = fmt::format(
      "{} rows, up to number {}, are in this file and no longer "
      "here",
      rows, last_row);
  record(transaction, entry);
  return rows;
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

std::vector<Entry> Ledger::of_device(db::Transaction& t, const std::string& device,
                                     base::WallTime since, std::size_t most) {
  return entries_of(t.query(
      kSelect + "where device = :d and at >= :s and protocol not in ('', 'manage') "
                "order by at, id limit :m",
      {device, since, static_cast<std::int64_t>(most)}));
}

base::Outcome<std::vector<Entry>> Ledger::of_device(const std::string& device,
                                                    base::WallTime since,
                                                    std::size_t most) {
  write_out();
  using Entries = std::vector<Entry>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Entries> {
    return of_device(t, device, since, most);
  });
}

base::Outcome<std::vector<Entry>> Ledger::canaries(const std::string& device,
                                                   base::WallTime since) {
  // As in the index of the rows (db/schema.cc, ledger_canaries).
  std::string where = "where name in ('hello', 'hello-1M', 'hello-64M') and at >= :s ";
  std::vector<db::Value> values{since};
  if (!device.empty()) {
    where += "and device = :d ";
    values.emplace_back(device);
  }
  auto rows = select(where +
                         "and event = 'fetch' and outcome = 'complete' and device <> "
                         "'' order by at desc, id desc",
                     values);
  if (!rows) return rows;
  std::set<std::string> seen;
  std::erase_if(*rows, [&](const Entry& one) { return !seen.insert(one.device).second; });
  return rows;
}

base::Outcome<std::vector<Ledger::Passage>> Ledger::passages(const std::string& sha256,
                                                             std::size_t most) {
  write_out();
  using Result = base::Outcome<std::vector<Passage>>;
  return database_.read([&](db::Transaction& t) -> Result {
    std::vector<Passage> result;
    for (const auto& row : t.query(
             "select l.device, l.bytes, l.duration_ms, (select n.at - n.duration_ms from "
             "ledger n where n.actor = l.actor and n.at > l.at order by n.at limit 1) - "
             "l.at from ledger l where l.sha256 = :s and l.event = 'fetch' and l.outcome "
             "= "
             "'complete' order by l.at desc limit :m",
             {sha256, static_cast<std::int64_t>(most)})) {
      Passage one{row.text(0), static_cast<std::uint64_t>(row.integer(1)), row.integer(2),
                  std::nullopt};
      // Negative: it fetched two things at once.
      if (!row.is_null(3) && row.integer(3) >= 0) one.absence_ms = row.integer(3);
      result.push_back(std::move(one));
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
    return entries_of(t.query(kSelect + which, values));
  });
}

namespace {

// So that it is recorded somewhere.
void log_row(const base::Log& log, const Entry& row) {
  log.error("ledger row", {{"at", base::iso_time(row.at)},
                           {"event", row.event},
                           {"actor", row.actor},
                           {"device", row.device},
                           {"from", row.from},
                           {"protocol", row.protocol},
                           {"account", row.account},
                           {"name", row.name},
                           {"sha256", row.sha256},
                           {"bytes", row.bytes},
                           {"outcome", row.outcome},
                           {"sentence", row.sentence}});
}

}  // namespace

void Ledger::run() {
  base::Lock lock(mutex_);
  bool said = false;
  while (true) {
    while (!stopping_ && waiting_.empty() && saved_rows_ == 0) wake_.wait(lock);
    // Rows within this time share one transaction and one sync.
    const auto until = std::chrono::steady_clock::now() + kBatchDelay;
    while (!stopping_ && wake_.wait_until(lock, until)) {
    }
    const bool last = stopping_;
    lock.unlock();
    const auto flushed = flush();
    if (!flushed && (!said || last)) {
      log_.error("the ledger can't be written; its rows wait",
                 {{"why", flushed.error().sentence}});
    }
    said = !flushed.has_value();
    lock.lock();
    const bool many = waiting_.size() > kMostWaiting / 2;
    // While the database does not answer nobody knows for how long: then at once.
    if (!flushed && (many || last || database_.away())) {
      lock.unlock();
      const bool saved = save_waiting();
      if (last && !saved) log_.error("the last rows of the ledger follow here");
      lock.lock();
    }
    if (!last) continue;
    for (const auto& row : waiting_) log_row(log_, row);
    return;
  }
}

}  // namespace vantro::ledger
