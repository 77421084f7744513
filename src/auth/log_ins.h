// Attempts with passwords. A right one is remembered for a while, since over HTTP every
// request brings one and checking it properly takes a tenth of a second; a wrong one for
// a moment, since all devices of a site may have the same wrong one. After several wrong
// ones a caller has to wait.
#pragma once

#include <cstddef>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>

#include "auth/mistakes.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::auth {

// Thread-safe. The clock must outlive it.
class LogIns {
 public:
  static constexpr base::Duration kRemembered = std::chrono::minutes(10);
  static constexpr base::Duration kWrongRemembered = std::chrono::seconds(30);
  static constexpr std::size_t kMostRemembered = 4096;  // of each

  // The account of a name at that moment.
  struct Holder {
    std::string name;  // in its one spelling
    std::string hash;  // empty: no password fits
    base::WallTime changed_at = 0;
  };
  // Nothing: there is no account of that name, as it was typed.
  using Find = std::function<std::optional<Holder>(std::string_view typed)>;

  // `mistakes` are those of all who log in; must outlive this.
  LogIns(Find find, Mistakes& mistakes, const base::Clock& clock);

  // The holder's name, if this very pair was right lately. Cheap enough for an I/O
  // thread.
  std::optional<std::string> remembered(std::string_view name, std::string_view password);

  // The holder's name. kAccountNeeded: one of the two is wrong, and the refusal does not
  // say which; kBusy: too many wrong passwords from this address. Takes about a tenth of
  // a second, unless the same pair was checked just before. `known` false: treated as an
  // unknown name.
  base::Outcome<std::string> check(const base::Address& from, std::string_view name,
                                   std::string_view password, bool known = true);

 private:
  struct Right {
    std::string digest;             // of the password, keyed
    base::WallTime changed_at = 0;  // the holder, as it was
    base::Instant until;
  };
  struct Wrong {
    std::optional<base::WallTime> changed_at;  // the holder, as it was; none: nobody
    base::Instant until;
  };

  void forget_old(base::Instant now) VANTRO_REQUIRES(mutex_);

  const Find find_;
  Mistakes& wrong_from_;
  const base::Clock& clock_;
  const std::string key_;
  const std::string nobody_;  // a hash that no password fits, for unknown names
  base::Mutex mutex_;
  std::map<std::string, Right> right_ VANTRO_GUARDED_BY(mutex_);
  std::map<std::string, Wrong> wrong_
      VANTRO_GUARDED_BY(mutex_);  // by the pair's keyed digest
};

}  // namespace vantro::auth
