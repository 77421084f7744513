#include "wire/tftp/resend_timer.h"

#include <algorithm>

namespace vantro::wire::tftp {

namespace {

constexpr int kTriesWithinBound = 5;
constexpr int kMostProbes = 2;
constexpr int kMostBackedOff = 64;
// So many lost answers in a row before a peer that usually answers counts as silent.
constexpr int kTriesBeforeDoubling = 3;
constexpr int kSentTwiceBeforeDoubling = 3;

}  // namespace

ResendTimer::ResendTimer(const Patience& patience,
                         std::optional<std::chrono::seconds> timeout, std::uint64_t seed)
    : patience_(patience), timeout_(timeout), random_(seed), bound_(patience.longest) {
  if (!timeout) return;
  bound_ = *timeout;
  patience_.first = *timeout;
  patience_.shortest = std::min<base::Duration>(patience_.shortest, *timeout);
  // A device that waits four minutes between tries must be given more than one.
  patience_.most_silence = std::max<base::Duration>(patience_.most_silence, 3 * *timeout);
}

void ResendTimer::sent(base::Instant now) {
  start(now);
  measuring_ = true;
}

void ResendTimer::moved(base::Instant now, base::Duration at_most) {
  if (!measured_ && at_most > base::Duration{}) measure(at_most);
  if (tries() == 0) backed_off_ = std::max(1, backed_off_ / 2);
  start(now);
}

void ResendTimer::start(base::Instant now) {
  sent_twice_ = tries() > 0 ? sent_twice_ + 1 : 0;
  if (sent_twice_ >= kSentTwiceBeforeDoubling) {
    backed_off_ = std::min(2 * backed_off_, kMostBackedOff);
  }
  first_sent_ = now;
  all_again_at_ = now + full_wait();
  probes_ = 0;
  resends_ = 0;
  resend_wait_ = {};
  measuring_ = false;
  due_ = now + (may_probe() ? interval() : full_wait());
}

base::Duration ResendTimer::measured_interval(base::Duration shortest) const {
  // Round trips that never vary must leave time for a packet that is a little late: half
  // of the shortest, as RFC 6298 has a clock's granularity (2.3).
  const auto late = std::max<base::Duration>(4 * variation_, shortest / 2);
  const auto measured = measured_ ? smoothed_ + late : patience_.first;
  return std::min<base::Duration>(std::max(measured, shortest) * backed_off_, bound_);
}

base::Duration ResendTimer::interval() const {
  return measured_interval(std::min(patience_.shortest_probe, patience_.shortest));
}

base::Duration ResendTimer::full_wait() const {
  return timeout_ ? *timeout_ : measured_interval(patience_.shortest);
}

bool ResendTimer::may_probe() const {
  const bool to_the_letter = timeout_ && patience_.waits_to_the_letter;
  return measured_ && !to_the_letter && probes_ < kMostProbes && resends_ == 0 &&
         interval() < full_wait();
}

void ResendTimer::answered(base::Instant now) {
  heard_ = true;
  if (measuring_ && tries() == 0 && due_) measure(now - first_sent_);
  measuring_ = false;
}

// RFC 6298, 2.2 and 2.3, without a clock granularity: Instants are exact.
void ResendTimer::measure(base::Duration round_trip) {
  if (!measured_) {
    measured_ = true;
    smoothed_ = round_trip;
    variation_ = round_trip / 2;
  } else {
    const auto off =
        round_trip > smoothed_ ? round_trip - smoothed_ : smoothed_ - round_trip;
    variation_ = (3 * variation_ + off) / 4;
    smoothed_ = (7 * smoothed_ + round_trip) / 8;
  }
  backed_off_ = 1;
  sent_twice_ = 0;
}

void ResendTimer::postpone(base::Instant now) {
  measuring_ = false;
  all_again_at_ = now + full_wait();
  if (due_) due_ = std::max(*due_, now + (may_probe() ? interval() : full_wait()));
}

ResendTimer::Next ResendTimer::expired(base::Instant now) {
  if (may_probe() && now < all_again_at_) {
    ++probes_;
    const auto answered_by = now + jittered(interval());
    if (!timeout_) all_again_at_ = std::max(all_again_at_, answered_by);
    // The peer may have accepted the first without an answer, as the one that it was
    // waiting for.
    due_ = may_probe() ? std::min(all_again_at_, answered_by) : all_again_at_;
    return Next::kProbe;
  }
  const bool given_up = now - first_sent_ >= patience_.most_silence ||
                        (!heard_ && resends_ >= patience_.most_unanswered);
  if (given_up) {
    due_.reset();
    return Next::kGiveUp;
  }
  ++resends_;
  // The agreed timeout is for two live ends. A peer that is gone is not asked every
  // second for a minute.
  const auto longest =
      resends_ <= kTriesWithinBound ? bound_ : std::max(bound_, patience_.longest);
  const int factor = measured_ && resends_ <= kTriesBeforeDoubling ? 1 : 2;
  resend_wait_ = std::min(std::max(resend_wait_, full_wait()) * factor, longest);
  due_ = std::min(now + jittered(resend_wait_), first_sent_ + patience_.most_silence);
  return Next::kResend;
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
