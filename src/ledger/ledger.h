// The append-only record of transfers and of everything that people changed.
//
// Rows of fetches and refusals are gathered and written in batches; a deposit's and an
// image's row is written in the transaction that files it. Killed, the server may lose
// the last kBatchDelay of gathered rows, and no others.
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>
#include <string>
#include <thread>
#include <vector>

#include "base/clock.h"
#include "base/log.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "db/database.h"

namespace vantro::ledger {

struct Entry {
  std::int64_t id = 0;    // given by the ledger, in the order of writing
  base::WallTime at = 0;  // when it ended
  std::string event;     // "fetch", "deposit", "image-add", "server-start", "server-stop"
  std::string actor;     // a device's address, or "operator", or "server"
  std::string device;    // whose address that is, by its name in the inventory, or empty
  std::string protocol;  // "tftp", "manage", or empty
  std::string heard_on;  // the listener and the network interface, or empty
  std::string account;   // as it logged in, or empty
  std::string name;
  std::string sha256;       // of the bytes concerned, if they are known
  std::uint64_t bytes = 0;  // that went over the line
  std::optional<std::uint64_t> total;
  std::int64_t duration_ms = 0;
  std::uint64_t resent = 0;  // packets
  std::string outcome;       // "complete", "failed", "abandoned", "refused", "done"
  std::string sentence;      // why, where there is something to say
};

// Thread-safe.
class Ledger {
 public:
  static constexpr std::chrono::milliseconds kBatchDelay{200};
  // Rows that wait for a database which does not answer. What comes on top is dropped,
  // counted, and said in the log.
  static constexpr std::size_t kMostWaiting = 20'000;

  // `database` must outlive the ledger.
  Ledger(db::Database& database, base::Log log);
  // Writes what is waiting.
  ~Ledger();
  Ledger(const Ledger&) = delete;
  Ledger& operator=(const Ledger&) = delete;

  void append(Entry entry);
  // As part of a transaction of the caller's.
  static void record(db::Transaction& transaction, const Entry& entry);

  // The rows of an actor that are no device's become that device's. Returns how many.
  static std::int64_t give(db::Transaction& transaction, const std::string& actor,
                           const std::string& device);
  // The device has another name; empty: it is gone, and the rows are nobody's.
  static void rename(db::Transaction& transaction, const std::string& device,
                     const std::string& to);

  // What is waiting is on disk when this returns a value.
  base::Outcome<void> flush();

  // Newest first, at most `most`, older than the row with the id `before` if it is given.
  // Includes what is waiting.
  // `whose`: of one device only, by its name, or of one actor; empty: all.
  base::Outcome<std::vector<Entry>> newest(std::size_t most,
                                           std::optional<std::int64_t> before,
                                           const std::string& whose = "");
  // The same for one actor.
  base::Outcome<std::vector<Entry>> newest_of(const std::string& actor, std::size_t most);
  // Of each actor that came over a device's protocol the newest row, newest first.
  base::Outcome<std::vector<Entry>> last_of_each(std::size_t most);
  // How long devices stayed away after they had fetched these bytes in full, in
  // milliseconds, the newest first: the time from the fetch's end to the next request.
  // Of one actor, or of all.
  base::Outcome<std::vector<std::int64_t>> absences(
      const std::string& sha256, const std::optional<std::string>& actor,
      std::size_t most);

 private:
  void run();
  // What is waiting goes to the database; if it does not take it, that is said in the
  // log.
  void write_out();
  base::Outcome<std::vector<Entry>> select(const std::string& which,
                                           const std::vector<db::Value>& values);

  db::Database& database_;
  base::Log log_;
  base::Mutex mutex_;
  // Keeps batches in order.
  base::Mutex flush_mutex_ VANTRO_ACQUIRED_BEFORE(mutex_);
  base::Condition wake_;
  std::vector<Entry> waiting_ VANTRO_GUARDED_BY(mutex_);
  std::uint64_t dropped_ VANTRO_GUARDED_BY(mutex_) = 0;
  bool stopping_ VANTRO_GUARDED_BY(mutex_) = false;
  std::thread writer_;
};

}  // namespace vantro::ledger
