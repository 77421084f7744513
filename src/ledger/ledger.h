// The append-only record of transfers and of everything that people changed.
//
// Rows of fetches and refusals are gathered and written in batches; a deposit's and an
// image's row is written in the transaction that files it. Killed, the server may lose
// the last kBatchDelay of gathered rows, and no others.
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

// Which rows; what is empty or missing is not asked for.
struct Filter {
  std::string whose = {};  // of one device, by its name, or of one actor
  std::string by = {};     // what this person, or the server, did
  std::optional<base::WallTime> from = {}, until = {};
  std::vector<std::string> events = {};
  std::string name = {};     // '*' stands for anything; letter case does not count
  std::string outcome = {};  // one of kOutcomes
  std::string sha256 = {};   // of the bytes
  std::string request = {};  // what one request led to
};

// What Entry::outcome may be.
inline constexpr std::array kOutcomes{"complete", "failed", "abandoned", "refused",
                                      "done"};

// A row that does not fit to the one before, or is not there.
struct Break {
  std::int64_t row = 0;
  std::string sentence;
};

// What holding the chain against the rows has found.
struct Verified {
  static constexpr std::size_t kMostBreaks = 20;

  std::int64_t rows = 0;       // that were looked at
  std::int64_t unchained = 0;  // of them: from before there was a chain
  std::vector<Break> breaks;   // the first kMostBreaks
  std::int64_t last_row = 0;   // the newest, with its hash: worth noting elsewhere
  std::string last_hash;
};

// Holding the chain against the rows, piece by piece: there may be millions.
struct ChainCheck {
  // A row and its hash, noted earlier.
  std::optional<std::pair<std::int64_t, std::string>> noted = {};
  Verified found = {};
  std::string before = {};  // the hash of the row that was looked at last
  bool seen = false;        // the one that was noted
};

// Thread-safe.
class Ledger {
 public:
  static constexpr std::chrono::milliseconds kBatchDelay{200};
  // Rows that wait in memory for a database which does not answer; more go to the file
  // for them. What that does not take either is dropped, counted, and said in the log.
  static constexpr std::size_t kMostWaiting = 20'000;

  // `database` must outlive the ledger. `waiting_file`: where rows go that the database
  // does not take while memory has no room for them, and at the end; they are written
  // when it takes them again, also by the next program. Empty: none.
  Ledger(db::Database& database, base::Log log, std::string waiting_file = "");
  // Writes what is waiting. What neither the database nor that file takes goes to the
  // log, row by row.
  ~Ledger();
  Ledger(const Ledger&) = delete;
  Ledger& operator=(const Ledger&) = delete;

  void append(Entry entry);
  // As part of a transaction of the caller's.
  static void record(db::Transaction& transaction, const Entry& entry);

  // The rows of an actor that are not a device's become that device's. Returns how many.
  static std::int64_t give(db::Transaction& transaction, const std::string& actor,
                           const std::string& device);
  // The device has another name; empty: it is gone, and the rows are nobody's.
  static void rename(db::Transaction& transaction, const std::string& device,
                     const std::string& to);

  // What is waiting is on disk when this returns a value.
  base::Outcome<void> flush();

  // Rows that can't be written, and why; nothing: all is well. Known within a second,
  // whatever is asked meanwhile.
  struct Failing {
    std::size_t waiting = 0;    // in memory, and in the file for them
    std::uint64_t dropped = 0;  // since it began: more than fit
    std::string why;
  };
  std::optional<Failing> failing() const;

  // Newest first, at most `most`, older than the row with the id `before` if it is given.
  // Includes what is waiting.
  base::Outcome<std::vector<Entry>> newest(std::size_t most,
                                           std::optional<std::int64_t> before,
                                           const Filter& filter = {});
  // Oldest first, at most `most`, behind the given place; to go through all of them.
  struct Place {
    base::WallTime at = 0;
    std::int64_t id = 0;
  };
  base::Outcome<std::vector<Entry>> after(const Place& place, std::size_t most,
                                          const Filter& filter);
  // The number of the newest row that is written; 0: there is none.
  base::Outcome<std::int64_t> newest_row() const;
  // By number, at most `most`, up to the first that is not older than `before`.
  base::Outcome<std::vector<Entry>> oldest(std::size_t most, base::WallTime before);
  // The same as newest() for one actor.
  base::Outcome<std::vector<Entry>> newest_of(const std::string& actor, std::size_t most);
  // Of each actor that came over a device's protocol the newest row, newest first.
  base::Outcome<std::vector<Entry>> last_of_each(std::size_t most);
  // Goes on with it for so many rows; true: that was all.
  base::Outcome<bool> verify(ChainCheck& check, std::int64_t rows);
  // Takes out the rows up to this one, which `file` (with this SHA-256) holds, and
  // records that. `by`: who it is done by. As part of a transaction of the caller's.
  // Gives how many they were.
  static std::int64_t cut(db::Transaction& transaction, std::int64_t last_row,
                          const std::string& file, const std::string& sha256,
                          base::WallTime now);
  // What came over devices' protocols from a device since then, the oldest first. In the
  // caller's transaction: rows that still wait are not among them.
  static std::vector<Entry> of_device(db::Transaction& transaction,
                                      const std::string& device, base::WallTime since,
                                      std::size_t most);
  // The same, and what waits.
  base::Outcome<std::vector<Entry>> of_device(const std::string& device,
                                              base::WallTime since, std::size_t most);
  // Of each device the newest whole fetch of the canary since then; of one device, if it
  // is given.
  base::Outcome<std::vector<Entry>> canaries(const std::string& device,
                                             base::WallTime since);
  // Whole fetches of these bytes, the newest first: by whom, how long each took, and how
  // long the device stayed away after it.
  struct Passage {
    std::string device;  // empty: an address that belongs to none
    std::uint64_t bytes = 0;
    std::int64_t duration_ms = 0;
    std::optional<std::int64_t> absence_ms;
  };
  base::Outcome<std::vector<Passage>> passages(const std::string& sha256,
                                               std::size_t most);
  // How long devices stayed away after they had fetched these bytes in full, in
  // milliseconds, the newest first: the time from the fetch's end to the next request.
  // Of one actor, or of all.
  base::Outcome<std::vector<std::int64_t>> absences(
      const std::string& sha256, const std::optional<std::string>& actor,
      std::size_t most);

 private:
  void run();
  // Rows of the file for them go to the database.
  base::Outcome<void> write_saved() VANTRO_REQUIRES(flush_mutex_);
  // What waits in memory goes to the file. False: it stays.
  bool save_waiting();
  // What is waiting goes to the database; if it does not take it, that is said in the
  // log.
  void write_out();
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
