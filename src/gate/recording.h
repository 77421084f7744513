// The ledger rows of devices' transfers and log-ins: one for each, as long as an address
// stays within its daily number of rows. The rest is combined: one row says how many
// there were. So nobody fills the disk with small requests, and nothing is left out
// without a word.
#pragma once

#include <atomic>
#include <cstdint>
#include <map>
#include <string>
#include <tuple>

#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/purses.h"
#include "gate/config.h"
#include "ledger/entry.h"
#include "ledger/ledger.h"

namespace vantro::gate {

// Thread-safe; cheap enough for an I/O thread.
class Recording {
 public:
  // How many kinds of rows wait together at most; one more, and they are written.
  static constexpr std::size_t kMostKinds = 4096;

  // Both must outlive it.
  Recording(ledger::Ledger& ledger, const base::Clock& clock)
      : ledger_(ledger), clock_(clock) {}
  // Writes the combined rows.
  ~Recording() { write_gathered(); }
  Recording(const Recording&) = delete;
  Recording& operator=(const Recording&) = delete;

  // `from`: the address whose rows are counted.
  void record(ledger::Entry entry, const base::Address& from, const Config& config);
  // Writes a row for each kind of excess since the last call. Once a minute.
  void write_gathered();
  // Refused requests since the start, with or without a row.
  std::uint64_t refused() const { return refused_; }

 private:
  // Of one address: event, outcome, protocol.
  using Kind = std::tuple<std::string, std::string, std::string, std::string>;
  struct Gathered {
    ledger::Entry entry;  // with the sum of their bytes
    std::uint64_t rows = 0;
    std::uint64_t limit = 0;  // as it was then
  };

  bool has_rows_left(const base::Address& from, std::uint64_t most)
      VANTRO_REQUIRES(mutex_);

  ledger::Ledger& ledger_;
  const base::Clock& clock_;
  std::atomic<std::uint64_t> refused_ = 0;
  base::Mutex mutex_;
  base::Purses rows_ VANTRO_GUARDED_BY(mutex_);
  base::Purses rows_of_network_ VANTRO_GUARDED_BY(mutex_);
  std::map<Kind, Gathered> gathered_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::gate
