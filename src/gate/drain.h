// Taking no new transfers, so that the server can be stopped or looked after: what runs
// goes on, and who asks is told when to come again.
//
// A device that was at it when this began may go on asking: a boot loader fetches one
// file after the other, and one that has erased its system must get the last of them. It
// has until it was silent for a while.
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

  // For so long at most. `at_it`: the addresses that may go on. `reason`: for people;
  // empty: none was given. If it has begun already, it lasts from now on, and those who
  // could go on can.
  void begin(std::chrono::seconds longest, bool stopping, std::string reason,
             const std::vector<base::Address>& at_it);
  void end();

  // Nothing: the address may begin a transfer. kBusy: it can't now, with when to come
  // again. `running`: one of its transfers runs.
  std::optional<base::Refusal> refuses(const base::Address& address, bool running);
  // This address may go on as those that were at it: it is being brought back.
  void let(const base::Address& address);
  // A transfer of this address has ended: it has kBetweenFiles for the next one.
  void ended(const base::Address& address);
  // Nothing: new transfers are taken.
  std::optional<View> view() const;
  // Whether some address may still ask for its next file.
  bool between_files() const;

 private:
  bool over(base::Instant now) const VANTRO_REQUIRES(mutex_);

  const base::Clock& clock_;
  std::atomic<bool> begun_ = false;  // as `until_` has it, without the lock
  mutable base::Mutex mutex_;
  std::optional<base::Instant> until_ VANTRO_GUARDED_BY(mutex_);
  View view_ VANTRO_GUARDED_BY(mutex_);
  // When each was last at it.
  std::map<base::Address, base::Instant> going_on_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::gate
