// How busy the server was lately: a sample every ten seconds, for a day, in memory.
#pragma once

#include <chrono>
#include <cstdint>
#include <deque>
#include <span>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "gate/gate.h"
#include "repository/repository.h"

namespace vantro::desk {

struct LoadSample {
  base::WallTime at = 0;      // its end
  std::size_t running = 0;    // transfers at that moment
  double out = 0, in = 0;     // bytes per second since the previous sample
  std::uint64_t refused = 0;  // requests since then
  std::uint64_t disk_free = 0;
  std::uint64_t memory = 0;  // resident, in bytes
};

// Thread-safe; both must outlive it.
class Load {
 public:
  static constexpr std::chrono::seconds kInterval{10};
  static constexpr std::size_t kMost = 24 * 360;

  Load(const repository::Repository& repository, const gate::Gate& gate)
      : repository_(repository), gate_(gate) {}

  // Takes the next one. Call it every kInterval.
  void sample();
  // The samples since then, the oldest first; at most `most`, each of which combines
  // several if there are more: the mean rates, the sum of refusals, the most transfers
  // and memory, the least free space.
  std::vector<LoadSample> since(base::WallTime from, std::size_t most) const;

 private:
  const repository::Repository& repository_;
  const gate::Gate& gate_;
  mutable base::Mutex mutex_;
  std::deque<LoadSample> samples_ VANTRO_GUARDED_BY(mutex_);
  gate::Transfers::Totals totals_ VANTRO_GUARDED_BY(mutex_);
  std::uint64_t refused_ VANTRO_GUARDED_BY(mutex_) = 0;
  base::Instant last_ VANTRO_GUARDED_BY(mutex_){};
};

// Of this process, in bytes.
std::uint64_t resident_memory();

// Combines several, in the order of time. REQUIRES: there is one.
LoadSample together(std::span<const LoadSample> samples);

}  // namespace vantro::desk
