#include "auth/log_ins.h"

#include "crypto/password.h"
#include "crypto/secret.h"

namespace vantro::auth {

using base::Kind;

LogIns::LogIns(Find find, Mistakes& mistakes, const base::Clock& clock)
    : find_(std::move(find)),
      wrong_from_(mistakes),
      clock_(clock),
      key_(crypto::random_hex(32)),
      nobody_(crypto::unfitting_hash()) {}

std::optional<std::string> LogIns::remembered(std::string_view name,
                                              std::string_view password) {
  auto holder = find_(name);
  if (!holder) return std::nullopt;
  const auto digest = crypto::keyed_digest(key_, password);
  const base::Lock lock(mutex_);
  const auto found = right_.find(holder->name);
  if (found == right_.end() || found->second.until <= clock_.now() ||
      found->second.changed_at != holder->changed_at ||
      !crypto::equal_secrets(found->second.digest, digest)) {
    return std::nullopt;
  }
  return std::move(holder->name);
}

base::Outcome<std::string> LogIns::check(const base::Address& from, std::string_view name,
                                         std::string_view password, bool known) {
  const std::string typed(name);
  const auto wrong = [&] {
    wrong_from_.add(from, typed);
    return base::refuse(Kind::kAccountNeeded, "the name or its password is wrong");
  };
  const auto holder = known ? find_(name) : std::nullopt;
  const auto pair = crypto::keyed_digest(
      key_, std::string(name) + std::string(1, '\0') + std::string(password));
  std::optional<base::WallTime> changed_at;
  if (holder) changed_at = holder->changed_at;
  if (auto may = wrong_from_.allow(from, "passwords", typed); !may) {
    return base::refuse(may.error());
  }
  {
    const base::Lock lock(mutex_);
    forget_old(clock_.now());
    const auto found = wrong_.find(pair);
    if (found != wrong_.end() && found->second.changed_at == changed_at) return wrong();
  }
  if (auto lately = holder ? remembered(name, password) : std::nullopt) {
    wrong_from_.forget(from, typed);
    return *lately;
  }
  const bool real = holder && !holder->hash.empty();
  // Takes as long for an unknown name, so that names cannot be found out.
  const bool fits = crypto::password_fits(real ? holder->hash : nobody_, password);
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  if (real && fits) {
    wrong_from_.forget(from, typed);
    right_[holder->name] = {crypto::keyed_digest(key_, password), holder->changed_at,
                            now + kRemembered};
    return holder->name;
  }
  wrong_[pair] = {changed_at, now + kWrongRemembered};
  return wrong();
}

void LogIns::forget_old(base::Instant now) {
  std::erase_if(right_, [&](const auto& one) { return one.second.until <= now; });
  std::erase_if(wrong_, [&](const auto& one) { return one.second.until <= now; });
  while (right_.size() > kMostRemembered) right_.erase(right_.begin());
  while (wrong_.size() > kMostRemembered) wrong_.erase(wrong_.begin());
}

}  // namespace vantro::auth
