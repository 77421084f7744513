// The append-only record of transfers and of everything that people changed.
//
// Rows of fetches and refusals are collected and written in batches; a deposit's and an
// image's row is written in the transaction that files it. If the server is killed, it
// may lose the collected rows of the last kBatchDelay, and no others.
#pragma once

#include <array>
#include <chrono>
#include <cstdint>
#include <optional>
#include <string>
#include <thread>
#include <utility>
#include <vector>

#include "base/clock.h"
#include "base/log.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "db/database.h"
#include "ledger/entry.h"
#include "ledger/waiting_file.h"

namespace vantro::ledger {

// Which rows; an empty condition matches all.
struct Filter {
  std::string whose = {};  // of one device, by its name, or of one actor
  std::string by = {};     // actions of this person, or of the server
  std::optional<base::WallTime> from = {}, until = {};
  std::vector<std::string> events = {};
  std::string name = {};     // '*' matches anything; case-insensitive
  std::string outcome = {};  // one of kOutcomes
  std::string sha256 = {};   // of the bytes
  std::string request = {};  // of one request
  std::string mirror = {};   // from this mirror
};

// The possible values of Entry::outcome.
inline constexpr std::array kOutcomes{"complete", "failed", "abandoned", "refused",
                                      "done"};

// A row that does not fit the previous one, or is missing.
struct Break {
  std::int64_t row = 0;
  std::string sentence;
};

// The result of checking the chain.
struct Verified {
  static constexpr std::size_t kMostBreaks = 20;

  std::int64_t rows = 0;       // checked
  std::int64_t unchained = 0;  // of them: from before the chain existed
  std::vector<Break> breaks;   // the first kMostBreaks
  std::int64_t last_row = 0;   // the newest, with its hash: worth noting elsewhere
  std::string last_hash;
};

// Checks the chain, piece by piece: there may be millions of rows.
struct ChainCheck {
  // A row and its hash, noted earlier.
  std::optional<std::pair<std::int64_t, std::string>> noted = {};
  Verified found = {};
  std::string before = {};  // the hash of the last checked row
  bool seen = false;        // the one noted earlier
};

// Thread-safe.
class Ledger {
 public:
  static constexpr std::chrono::milliseconds kBatchDelay{200};
  // Rows that wait in memory for a database that does not answer; more go to the file for
  // them. Rows that do not fit there either are dropped, counted, and reported in the
  // log.
  static constexpr std::size_t kMostWaiting = 20'000;

  // `database` must outlive the ledger. `waiting_file`: for rows that the database does
  // not accept while memory is full, and at the end; they are written when it accepts
  // them again, also by the next program. Empty: none.
  Ledger(db::Database& database, base::Log log, std::string waiting_file = "");
  // Writes waiting rows. Rows that neither the database nor that file accepts go to the
  // log, one by one.
  ~Ledger();
  Ledger(const Ledger&) = delete;
  Ledger& operator=(const Ledger&) = delete;

  void append(Entry entry);
  // In the caller's transaction.
  static void record(db::Transaction& transaction, const Entry& entry);
  static void record(db::Transaction& transaction, std::vector<Entry> entries);

  // Gives the rows of an actor without a device to that device. Returns how many.
  static std::int64_t give(db::Transaction& transaction, const std::string& actor,
                           const std::string& device);
  // The device has another name; empty: it was removed, and the rows are nobody's.
  static void rename(db::Transaction& transaction, const std::string& device,
                     const std::string& to);

  // Waiting rows are on disk when this returns a value.
  base::Outcome<void> flush();

  // Writes the rows of such a file that another program left behind, and removes it. Each
  // row is written once, also if this is done again after a failure.
  base::Outcome<void> write_left_behind(const std::string& path);

  // Rows that cannot be written, and why; nothing: no problem. Up to date within a
  // second, whatever else is going on.
  struct Failing {
    std::size_t waiting = 0;    // in memory, and in the file for them
    std::uint64_t dropped = 0;  // since it began: rows that did not fit
    std::string why;
  };
  std::optional<Failing> failing() const;

  // Newest first, at most `most`, older than the row with the id `before` if it is given.
  // Includes waiting rows.
  base::Outcome<std::vector<Entry>> newest(std::size_t most,
                                           std::optional<std::int64_t> before,
                                           const Filter& filter = {});
  // Oldest first, at most `most`, after the given place; for going through all of them.
  struct Place {
    base::WallTime at = 0;
    std::int64_t id = 0;
  };
  base::Outcome<std::vector<Entry>> after(const Place& place, std::size_t most,
                                          const Filter& filter);
  // The number of the newest written row; 0: there is none.
  base::Outcome<std::int64_t> newest_row() const;
  // By number, at most `most`, up to the first that is not older than `before`.
  base::Outcome<std::vector<Entry>> oldest(std::size_t most, base::WallTime before);
  // By number, at most `most`, after this one. Without waiting rows.
  base::Outcome<std::vector<Entry>> behind(std::int64_t row, std::size_t most);
  // The same as newest() for one actor.
  base::Outcome<std::vector<Entry>> newest_of(const std::string& actor, std::size_t most);
  // The newest row of each actor of devices' protocols, newest first.
  base::Outcome<std::vector<Entry>> last_of_each(std::size_t most);
  // Checks so many more rows; true: that was all.
  base::Outcome<bool> verify(ChainCheck& check, std::int64_t rows);
  // Removes the rows up to this one, which `file` (with this SHA-256) holds, and records
  // that. `by`: the person. In the caller's transaction. Returns how many there were.
  static std::int64_t cut(db::Transaction& transaction, std::int64_t last_row,
                          const std::string& file, const std::string& sha256,
                          base::WallTime now);
  // A device's rows over devices' protocols since then, the oldest first. In the caller's
  // transaction: waiting rows are not included.
  static std::vector<Entry> of_device(db::Transaction& transaction,
                                      const std::string& device, base::WallTime since,
                                      std::size_t most);
  // The same, with waiting rows.
  base::Outcome<std::vector<Entry>> of_device(const std::string& device,
                                              base::WallTime since, std::size_t most);
  // The newest complete fetch of the canary since then, by each device or by one.
  base::Outcome<std::vector<Entry>> canaries(const std::string& device,
                                             base::WallTime since);
  // Complete fetches of these bytes, the newest first: by whom, how long each took, and
  // how long the device stayed away after it.
  struct Passage {
    std::string device;  // empty: an address that belongs to none
    std::uint64_t bytes = 0;
    std::int64_t duration_ms = 0;
    std::optional<std::int64_t> absence_ms;
  };
  base::Outcome<std::vector<Passage>> passages(const std::string& sha256,
                                               std::size_t most);
  // How long devices stayed away after a complete fetch of these bytes, in milliseconds,
  // the newest first: the time from the fetch's end to the next request. Of one actor, or
  // of all.
  base::Outcome<std::vector<std::int64_t>> absences(
      const std::string& sha256, const std::optional<std::string>& actor,
      std::size_t most);

 private:
  void run();
  // Moves rows of the waiting file to the database.
  base::Outcome<void> write_saved() VANTRO_REQUIRES(flush_mutex_);
  base::Outcome<void> write_file(WaitingFile& file);
  // Moves rows that wait in memory to the file. False: they stay.
  bool save_waiting();
  // Writes waiting rows to the database; a failure is reported in the log.
  void write_out();
  // Of the rows that fulfil the condition, those that match, in this order.
  base::Outcome<std::vector<Entry>> matching(const Filter& filter,
                                             const std::string& condition,
                                             const std::vector<db::Value>& values,
                                             const std::string& order, std::size_t most);
  base::Outcome<std::vector<Entry>> select(const std::string& which,
                                           const std::vector<db::Value>& values);

  db::Database& database_;
  base::Log log_;
  mutable base::Mutex mutex_;
  // Keeps batches in order.
  base::Mutex flush_mutex_ VANTRO_ACQUIRED_BEFORE(mutex_);
  WaitingFile saved_ VANTRO_GUARDED_BY(flush_mutex_);
  base::Condition wake_;
  std::uint64_t saved_rows_ VANTRO_GUARDED_BY(mutex_) = 0;
  std::vector<Entry> waiting_ VANTRO_GUARDED_BY(mutex_);
  std::uint64_t dropped_ VANTRO_GUARDED_BY(mutex_) = 0;
  std::string failing_why_ VANTRO_GUARDED_BY(mutex_);  // empty: the last write succeeded
  bool stopping_ VANTRO_GUARDED_BY(mutex_) = false;
  std::thread writer_;
};

}  // namespace vantro::ledger
