#include "auth/log_ins.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "crypto/password.h"
#include "crypto/secret.h"

namespace vantro::auth {

using base::Kind;

LogIns::LogIns(Find find, const base::Clock& clock)
    : find_(std::move(find)),
      clock_(clock),
      key_(crypto::random_hex(32)),
      nobody_(crypto::unfitting_hash()) {}

std::optional<std::string> LogIns::remembered(std::string_view name,
                                              std::string_view password) {
  const auto sound = account_name(name);
  if (!sound) return std::nullopt;
  const auto account = find_(*sound);
  if (!account) return std::nullopt;
  const auto digest = crypto::keyed_digest(key_, password);
  const base::Lock lock(mutex_);
  const auto found = right_.find(*sound);
  if (found == right_.end() || found->second.until <= clock_.now() ||
      found->second.changed_at != account->changed_at ||
      !crypto::equal_secrets(found->second.digest, digest)) {
    return std::nullopt;
  }
  return *sound;
}

base::Outcome<std::string> LogIns::check(const base::Address& from, std::string_view name,
                                         std::string_view password) {
  const auto sound = account_name(name);
  const auto account = sound ? find_(*sound) : nullptr;
  const auto pair = crypto::keyed_digest(
      key_, std::string(name) + std::string(1, '\0') + std::string(password));
  std::optional<base::WallTime> changed_at;
  if (account) changed_at = account->changed_at;
  {
    const base::Lock lock(mutex_);
    const auto now = clock_.now();
    forget_old(now);
    const auto found = mistakes_.find(from);
    if (found != mistakes_.end() && found->second.wait_until > now) {
      const std::chrono::duration<double> left = found->second.wait_until - now;
      return base::refuse(
          Kind::kBusy,
          fmt::format("too many wrong passwords came from {}; try again in {}",
                      from.text(), base::duration_text(left.count())));
    }
    const auto wrong = wrong_.find(pair);
    if (wrong != wrong_.end() && wrong->second.changed_at == changed_at) {
      return base::refuse(mistaken(from, now));
    }
  }
  if (auto lately = remembered(name, password)) {
    const base::Lock lock(mutex_);
    mistakes_.erase(from);
    return *lately;
  }
  const bool real = account != nullptr && !account->hash.empty();
  // As long for a name that there is not, so that names can't be found out.
  const bool fits = crypto::password_fits(real ? account->hash : nobody_, password);
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  if (real && fits) {
    mistakes_.erase(from);
    right_[*sound] = {crypto::keyed_digest(key_, password), account->changed_at,
                      now + kRemembered};
    return *sound;
  }
  wrong_[pair] = {changed_at, now + kWrongRemembered};
  return base::refuse(mistaken(from, now));
}

base::Refusal LogIns::mistaken(const base::Address& from, base::Instant now) {
  auto& wrong = mistakes_[from];
  wrong.last = now;
  ++wrong.count;
  if (wrong.count >= kFreeMistakes) {
    const auto doubled = kFirstWait * (1 << std::min(wrong.count - kFreeMistakes, 10));
    wrong.wait_until = now + std::min<base::Duration>(doubled, kLongestWait);
  }
  return {Kind::kAccountNeeded, "the account or its password is wrong"};
}

void LogIns::forget_old(base::Instant now) {
  std::erase_if(right_, [&](const auto& one) { return one.second.until <= now; });
  std::erase_if(wrong_, [&](const auto& one) { return one.second.until <= now; });
  // Who has made mistakes is remembered well over the longest wait.
  std::erase_if(mistakes_, [&](const auto& one) {
    return now - one.second.last > 2 * kLongestWait;
  });
  while (right_.size() > kMostRemembered) right_.erase(right_.begin());
  while (wrong_.size() > kMostRemembered) wrong_.erase(wrong_.begin());
  while (mistakes_.size() > kMostRemembered) {
    mistakes_.erase(std::min_element(
        mistakes_.begin(), mistakes_.end(),
        [](const auto& a, const auto& b) { return a.second.last < b.second.last; }));
  }
}

}  // namespace vantro::auth
