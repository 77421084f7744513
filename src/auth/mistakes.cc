#include "auth/mistakes.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"

namespace vantro::auth {

base::Outcome<void> Mistakes::allow(const base::Address& from, const char* what) {
  const base::Lock lock(mutex_);
  const auto now = clock_.now();
  const auto found = counts_.find(from);
  if (found == counts_.end() || found->second.wait_until <= now) return {};
  const std::chrono::duration<double> left = found->second.wait_until - now;
  return base::refuse(base::Kind::kBusy,
                      fmt::format("too many wrong {} came from {}; try again in {}", what,
                                  from.text(), base::duration_text(left.count())));
}

int Mistakes::add(const base::Address& from) {
  const base::Lock lock(mutex_);
  const auto now = clock_.now();
  // They are remembered well over the longest wait.
  std::erase_if(
      counts_, [&](const auto& one) { return now - one.second.last > 2 * kLongestWait; });
  while (counts_.size() > kMostRemembered) {
    counts_.erase(std::min_element(
        counts_.begin(), counts_.end(),
        [](const auto& a, const auto& b) { return a.second.last < b.second.last; }));
  }
  auto& wrong = counts_[from];
  wrong.last = now;
  ++wrong.count;
  if (wrong.count < kFree) return wrong.count;
  const auto doubled = kFirstWait * (1 << std::min(wrong.count - kFree, 10));
  wrong.wait_until = now + std::min<base::Duration>(doubled, kLongestWait);
  return wrong.count;
}

void Mistakes::forget(const base::Address& from) {
  const base::Lock lock(mutex_);
  counts_.erase(from);
}

}  // namespace vantro::auth
