#include "wire/tftp/resend_timer.h"

#include <algorithm>

namespace vantro::wire::tftp {

namespace {

constexpr int kTriesWithinBound = 5;

}  // namespace

ResendTimer::ResendTimer(const Patience& patience,
                         std::optional<std::chrono::seconds> timeout, std::uint64_t seed)
    : patience_(patience),
      random_(seed),
      bound_(patience.longest),
      interval_(patience.first) {
  measured_interval_ = patience.first;
  if (!timeout) return;
  interval_ = *timeout;
  measured_interval_ = *timeout;
  bound_ = *timeout;
  patience_.shortest = std::min<base::Duration>(patience_.shortest, *timeout);
  // A device that waits four minutes between tries must be given more than one.
  patience_.most_silence = std::max<base::Duration>(patience_.most_silence, 3 * *timeout);
}

void ResendTimer::sent(base::Instant now) {
  start(now);
  measuring_ = true;
}

void ResendTimer::moved(base::Instant now, base::Duration at_most) {
  if (smoothed_ == base::Duration{} && at_most > base::Duration{}) measure(at_most);
  interval_ = std::max(measured_interval_, interval_ / 2);
  start(now);
}

void ResendTimer::start(base::Instant now) {
  first_sent_ = now;
  tries_ = 0;
  measuring_ = false;
  due_ = now + interval_;
}

void ResendTimer::answered(base::Instant now) {
  heard_ = true;
  if (measuring_ && tries_ == 0 && due_) measure(now - first_sent_);
  measuring_ = false;
}

// RFC 6298, 2.2 and 2.3, without a clock granularity: Instants are exact.
void ResendTimer::measure(base::Duration round_trip) {
  quickest_ =
      quickest_ == base::Duration{} ? round_trip : std::min(quickest_, round_trip);
  if (smoothed_ == base::Duration{}) {
    smoothed_ = round_trip;
    variation_ = round_trip / 2;
  } else {
    const auto off =
        round_trip > smoothed_ ? round_trip - smoothed_ : smoothed_ - round_trip;
    variation_ = (3 * variation_ + off) / 4;
    smoothed_ = (7 * smoothed_ + round_trip) / 8;
  }
  measured_interval_ = std::clamp(smoothed_ + 4 * variation_, patience_.shortest, bound_);
  interval_ = measured_interval_;
}

void ResendTimer::postpone(base::Instant now) {
  if (due_) due_ = std::max(*due_, now + interval_);
}

bool ResendTimer::resend(base::Instant now) {
  const bool given_up = now - first_sent_ >= patience_.most_silence ||
                        (!heard_ && tries_ >= patience_.most_unanswered);
  if (given_up) {
    due_.reset();
    return false;
  }
  ++tries_;
  // The agreed timeout holds between two who talk. One that has gone is not asked every
  // second for a minute.
  const auto longest =
      tries_ <= kTriesWithinBound ? bound_ : std::max(bound_, patience_.longest);
  interval_ = std::min(interval_ * 2, longest);
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
