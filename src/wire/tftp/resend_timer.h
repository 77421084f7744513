// When to send a packet again: from measured round trips (RFC 6298), doubled with each
// try, a little of it by chance (so that devices that lost power together do not all ask
// at the same instants), bounded in count and in time.
//
// An interval that has been doubled stays until a round trip is measured again, and a
// packet that was sent twice measures none (Karn's rule): a device that always answers
// late is waited for.
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>

#include "wire/tftp/session.h"

namespace vantro::wire::tftp {

class ResendTimer {
 public:
  // `timeout`, if the device asked for one, is the interval until a round trip is
  // measured, and the longest one after that (RFC 2349). `seed` decides the jitter.
  ResendTimer(const Patience& patience, std::optional<std::chrono::seconds> timeout,
              std::uint64_t seed);

  // A packet that moves the transfer on was sent for the first time.
  void sent(base::Instant now);
  // The transfer moved on, by an answer that may be one to an earlier packet. `at_most`
  // is the longest that its round trip can have been: better than nothing, and counted
  // only if nothing was measured. What was doubled is halved again: in a lossy window no
  // packet may ever be clean enough to measure.
  void moved(base::Instant now, base::Duration at_most);
  // The peer's answer to it has come. May be called without a sent() before it.
  void answered(base::Instant now);
  // More of what is to be answered went out; it does not count as progress.
  void postpone(base::Instant now);
  // Nothing is expected from the peer for now.
  void pause() { due_.reset(); }
  // REQUIRES: due() has passed. True: send it again. False: the patience is spent.
  bool resend(base::Instant now);

  std::optional<base::Instant> due() const { return due_; }
  // Resends since the last sent().
  int tries() const { return tries_; }
  bool heard() const { return heard_; }
  // Between sending and sending again, as far as is known now.
  base::Duration interval() const { return interval_; }
  // A round trip (SRTT), and the quickest so far; zero: none was measured.
  base::Duration usual() const { return smoothed_; }
  base::Duration quickest() const { return quickest_; }

 private:
  void start(base::Instant now);
  void measure(base::Duration round_trip);
  base::Duration jittered(base::Duration interval);

  Patience patience_;  // constant after construction
  std::uint64_t random_;
  base::Duration bound_;  // of a measured interval
  base::Duration interval_;
  base::Duration measured_interval_;  // as measured, before any doubling
  base::Duration smoothed_{};         // SRTT; zero: nothing measured yet
  base::Duration variation_{};
  base::Duration quickest_{};
  int tries_ = 0;
  bool heard_ = false;
  bool measuring_ = false;  // sent once, not answered yet
  base::Instant first_sent_{};
  std::optional<base::Instant> due_;
};

}  // namespace vantro::wire::tftp
