// Passwords that are tried: right ones are remembered for a while, since over HTTP every
// request brings one and looking at it properly takes a tenth of a second; wrong ones for
// a moment, since all devices of a site may be told the same wrong one; whoever is wrong
// again and again has to wait.
#pragma once

#include <cstddef>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "auth/account.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::auth {

// Thread-safe. The clock must outlive it.
class LogIns {
 public:
  static constexpr int kFreeMistakes = 5;
  static constexpr base::Duration kFirstWait = std::chrono::seconds(5);
  static constexpr base::Duration kLongestWait = std::chrono::minutes(5);
  static constexpr base::Duration kRemembered = std::chrono::minutes(10);
  static constexpr base::Duration kWrongRemembered = std::chrono::seconds(30);
  static constexpr std::size_t kMostRemembered = 4096;  // of each; addresses as well

  // An account as it is at that moment; null: there is none of that name.
  using Find = std::function<std::shared_ptr<const Account>(const std::string& name)>;

  LogIns(Find find, const base::Clock& clock);

  // The account's name, if this very pair was right lately. Cheap enough for an I/O
  // thread.
  std::optional<std::string> remembered(std::string_view name, std::string_view password);

  // The account's name. kAccountNeeded: one of the two is wrong, and it is not told
  // which; kBusy: too many were wrong from this address. Takes about a tenth of a second,
  // if this very pair was not looked at just before.
  base::Outcome<std::string> check(const base::Address& from, std::string_view name,
                                   std::string_view password);

 private:
  struct Right {
    std::string digest;             // of the password, keyed
    base::WallTime changed_at = 0;  // the account, as it was
    base::Instant until;
  };
  struct Mistakes {
    int count = 0;
    base::Instant wait_until{};
    base::Instant last{};
  };

  struct Wrong {
    std::optional<base::WallTime> changed_at;  // the account, as it was; none: no account
    base::Instant until;
  };

  void forget_old(base::Instant now) VANTRO_REQUIRES(mutex_);
  base::Refusal mistaken(const base::Address& from, base::Instant now)
      VANTRO_REQUIRES(mutex_);

  const Find find_;
  const base::Clock& clock_;
  const std::string key_;
  const std::string nobody_;  // a hash that no password fits, for names without account
  base::Mutex mutex_;
  std::map<std::string, Right> right_ VANTRO_GUARDED_BY(mutex_);
  std::map<std::string, Wrong> wrong_
      VANTRO_GUARDED_BY(mutex_);  // by the pair's keyed digest
  std::map<base::Address, Mistakes> mistakes_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::auth
