// A budget for suggested names: finding the nearest of many names costs a millisecond,
// and the asker may be anonymous.
#pragma once

#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/purses.h"

namespace vantro::gate {

// For each network (IPv4 /24, IPv6 /64), and in all. Thread-safe.
class SuggestionPurse {
 public:
  static constexpr double kMostOfNetwork = 32;
  static constexpr double kOfNetworkEachSecond = 2;
  static constexpr double kMostInAll = 128;
  static constexpr double kInAllEachSecond = 50;

  // Whether one more may be made.
  bool take(const base::Address& asker, base::Instant now) {
    const base::Lock lock(mutex_);
    return networks_.take(asker.network(), 1, kMostOfNetwork, kOfNetworkEachSecond,
                          now) &&
           all_.take(1, kMostInAll, kInAllEachSecond, now);
  }

 private:
  base::Mutex mutex_;
  base::Purses networks_ VANTRO_GUARDED_BY(mutex_);
  base::Purse all_ VANTRO_GUARDED_BY(mutex_){kMostInAll, {}};
};

}  // namespace vantro::gate
