// Who was wrong again and again has to wait: with a password, or with a token.
#pragma once

#include <cstddef>
#include <map>

#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::auth {

// Thread-safe. The clock must outlive it.
class Mistakes {
 public:
  static constexpr int kFree = 5;
  static constexpr base::Duration kFirstWait = std::chrono::seconds(5);
  static constexpr base::Duration kLongestWait = std::chrono::minutes(5);
  static constexpr std::size_t kMostRemembered = 4096;  // addresses

  explicit Mistakes(const base::Clock& clock) : clock_(clock) {}

  // kBusy while the address has to wait. `what`: "passwords", "tokens".
  base::Outcome<void> allow(const base::Address& from, const char* what);
  // Gives how many there were from there lately, with this one.
  int add(const base::Address& from);
  // It was right.
  void forget(const base::Address& from);

 private:
  struct Count {
    int count = 0;
    base::Instant wait_until{};
    base::Instant last{};
  };

  const base::Clock& clock_;
  base::Mutex mutex_;
  std::map<base::Address, Count> counts_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::auth
