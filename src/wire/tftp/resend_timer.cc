#include "wire/tftp/resend_timer.h"

#include <algorithm>

namespace vantro::wire::tftp {

ResendTimer::ResendTimer(const Patience& patience,
                         std::optional<std::chrono::seconds> timeout, std::uint64_t seed)
    : patience_(patience), random_(seed) {
  if (!timeout) return;
  patience_.first = *timeout;
  patience_.longest = std::max<base::Duration>(patience_.longest, *timeout);
  // A device that waits four minutes between tries must be given more than one.
  patience_.most_silence = std::max<base::Duration>(patience_.most_silence, 3 * *timeout);
}

void ResendTimer::sent(base::Instant now) {
  first_sent_ = now;
  tries_ = 0;
  interval_ = patience_.first;
  due_ = now + interval_;
}

bool ResendTimer::resend(base::Instant now) {
  if (tries_ >= patience_.most_resends || now - first_sent_ >= patience_.most_silence) {
    due_.reset();
    return false;
  }
  ++tries_;
  interval_ = std::min(interval_ * 2, patience_.longest);
  due_ = std::min(now + jittered(interval_), first_sent_ + patience_.most_silence);
  return true;
}

// Between 0.9 and 1.1 of the interval. SplitMix64: a step of the state by a constant, and
// two mixing rounds.
base::Duration ResendTimer::jittered(base::Duration interval) {
  random_ += 0x9e3779b97f4a7c15;
  std::uint64_t mixed = random_;
  mixed = (mixed ^ (mixed >> 30)) * 0xbf58476d1ce4e5b9;
  mixed = (mixed ^ (mixed >> 27)) * 0x94d049bb133111eb;
  const auto thousandths = static_cast<std::int64_t>((mixed ^ (mixed >> 31)) % 201);
  return interval * (900 + thousandths) / 1000;
}

}  // namespace vantro::wire::tftp
