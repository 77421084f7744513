#include "auth/mistakes.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"

namespace vantro::auth {
namespace {

// Accounts and people are told apart without letter case.
std::string key_of(const std::string& account) {
  constexpr std::size_t kLongest = 64;
  return base::folded(account.substr(0, kLongest));
}

base::Outcome<void> wait(base::Duration left, const char* what, const std::string& from) {
  if (left <= base::Duration::zero()) return {};
  return base::refuse(
      base::Kind::kBusy,
      fmt::format("too many wrong {} {}; try again in {}", what, from,
                  base::duration_text(std::chrono::duration<double>(left).count())));
}

}  // namespace

template <class Key>
base::Duration Mistakes::wait_of(const Counts<Key>& counts, const Key& key) const {
  const auto found = counts.find(key);
  if (found == counts.end()) return base::Duration::zero();
  return found->second.wait_until - clock_.now();
}

template <class Key>
int Mistakes::add_to(Counts<Key>& counts, const Key& key, int free) {
  const auto now = clock_.now();
  // Mistakes are remembered well over the longest wait.
  std::erase_if(
      counts, [&](const auto& one) { return now - one.second.last > 2 * kLongestWait; });
  while (counts.size() > kMostRemembered) {
    counts.erase(std::min_element(
        counts.begin(), counts.end(),
        [](const auto& a, const auto& b) { return a.second.last < b.second.last; }));
  }
  auto& wrong = counts[key];
  wrong.last = now;
  ++wrong.count;
  if (wrong.count < free) return wrong.count;
  const auto doubled = kFirstWait * (1 << std::min(wrong.count - free, 10));
  wrong.wait_until = now + std::min<base::Duration>(doubled, kLongestWait);
  return wrong.count;
}

base::Outcome<void> Mistakes::allow(const base::Address& from, const char* what,
                                    const std::string& account) {
  const base::Lock lock(mutex_);
  if (auto may = wait(wait_of(addresses_, from), what, "from " + from.text()); !may) {
    return may;
  }
  if (!from.is_v4()) {
    const auto left = wait_of(networks_, from.network());
    if (auto may = wait(left, what, "from " + from.network().text() + "/64"); !may) {
      return may;
    }
  }
  if (account.empty() || right_.contains({key_of(account), from})) return {};
  return wait(wait_of(accounts_, key_of(account)), what, "for this name");
}

int Mistakes::add(const base::Address& from, const std::string& account) {
  const base::Lock lock(mutex_);
  if (!from.is_v4()) add_to(networks_, from.network(), kFreeOfMany);
  if (!account.empty()) add_to(accounts_, key_of(account), kFreeOfMany);
  return add_to(addresses_, from, kFree);
}

void Mistakes::forget(const base::Address& from, const std::string& account) {
  const base::Lock lock(mutex_);
  addresses_.erase(from);
  if (account.empty()) return;
  // Wrong guesses for it by others still count.
  if (right_.size() >= kMostRemembered) right_.erase(right_.begin());
  right_.insert({key_of(account), from});
}

}  // namespace vantro::auth
