// Refuses new transfers, so that the server can be stopped or serviced: running transfers
// go on, and a refusal says when to come again.
//
// A device with a running transfer may ask for more: a boot loader fetches one file after
// the other, and one that has erased its system must get the last of them. It may do so
// until it was silent for a while.
#pragma once

#include <atomic>
#include <chrono>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::gate {

// Thread-safe; cheap enough for an I/O thread.
class Drain {
 public:
  // Between two files of one device.
  static constexpr std::chrono::seconds kBetweenFiles{5};

  struct View {
    base::WallTime since = 0, until = 0;
    bool stopping = false;  // the server ends with it
    std::string reason;
    std::uint64_t refused = 0;
  };

  // `clock` must outlive it.
  explicit Drain(const base::Clock& clock) : clock_(clock) {}

  // For so long at most. `at_it`: the addresses that may continue. `reason`: for people;
  // empty: none. If it has begun already, it now lasts this long, and the earlier
  // addresses may still continue.
  void begin(std::chrono::seconds longest, bool stopping, std::string reason,
             const std::vector<base::Address>& at_it);
  void end();

  // Nothing: the address may begin a transfer. kBusy: not now, with the time to come
  // again. `running`: it has a running transfer.
  std::optional<base::Refusal> refuses(const base::Address& address, bool running);
  // This address may continue like the others: it is under rescue.
  void let(const base::Address& address);
  // A transfer of this address has ended: it has kBetweenFiles for the next one.
  void ended(const base::Address& address);
  // Nothing: no drain.
  std::optional<View> view() const;
  // Whether an address may still ask for its next file.
  bool between_files() const;

 private:
  bool over(base::Instant now) const VANTRO_REQUIRES(mutex_);

  const base::Clock& clock_;
  std::atomic<bool> begun_ = false;  // a copy of `until_`, without the lock
  mutable base::Mutex mutex_;
  std::optional<base::Instant> until_ VANTRO_GUARDED_BY(mutex_);
  View view_ VANTRO_GUARDED_BY(mutex_);
  // The last activity of each.
  std::map<base::Address, base::Instant> going_on_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::gate
