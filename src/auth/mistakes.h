// After repeated wrong passwords or tokens, a caller has to wait.
//
// Counted by the address; by the network, as one host has any number of IPv6 addresses in
// a /64; and passwords by the account that they were tried for, as guesses can come from
// many places at once.
#pragma once

#include <cstddef>
#include <map>
#include <set>
#include <string>
#include <utility>

#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::auth {

// Thread-safe. The clock must outlive it.
class Mistakes {
 public:
  // So many mistakes cost nothing: from one address; from one network or for one account.
  static constexpr int kFree = 5;
  static constexpr int kFreeOfMany = 30;
  static constexpr base::Duration kFirstWait = std::chrono::seconds(5);
  static constexpr base::Duration kLongestWait = std::chrono::minutes(5);
  static constexpr std::size_t kMostRemembered = 4096;  // of each kind

  explicit Mistakes(const base::Clock& clock) : clock_(clock) {}

  // kBusy while the address, its IPv6 network or the account has to wait. The account
  // does not, from an address that gave its right password before: others must not lock
  // it out by guessing. `what`: "passwords", "tokens"; `account`: as it was typed; empty:
  // none.
  base::Outcome<void> allow(const base::Address& from, const char* what,
                            const std::string& account = "");
  // Returns how many there were from the address lately, including this one.
  int add(const base::Address& from, const std::string& account = "");
  // It was right.
  void forget(const base::Address& from, const std::string& account = "");

 private:
  struct Count {
    int count = 0;
    base::Instant wait_until{};
    base::Instant last{};
  };
  template <class Key>
  using Counts = std::map<Key, Count>;

  template <class Key>
  int add_to(Counts<Key>& counts, const Key& key, int free) VANTRO_REQUIRES(mutex_);
  // How long it has to wait; zero: not at all.
  template <class Key>
  base::Duration wait_of(const Counts<Key>& counts, const Key& key) const
      VANTRO_REQUIRES(mutex_);

  const base::Clock& clock_;
  base::Mutex mutex_;
  Counts<base::Address> addresses_ VANTRO_GUARDED_BY(mutex_);
  Counts<base::Address> networks_ VANTRO_GUARDED_BY(mutex_);
  Counts<std::string> accounts_ VANTRO_GUARDED_BY(mutex_);
  // Addresses that gave an account's right password.
  std::set<std::pair<std::string, base::Address>> right_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::auth
