// When to send a packet again, and which.
//
// Measured round trips (RFC 6298) tell early that something was lost. But a device that
// asked for a timeout (RFC 2349) may be silent that long because it is busy: it writes
// its flash, and packets that arrive meanwhile fill its small memory. So before that time
// is over only probes are sent, one packet and at most twice, whose answer tells where to
// continue. After it everything is sent again, in intervals that double with each try,
// with a little jitter (so that devices that lost power together do not all ask at the
// same instants), bounded in count and in time. Without a timeout from the device, the
// measured time takes its place, and large windows are probed for before it, too.
//
// A packet that was sent twice measures no round trip (Karn's rule). So that a device
// that always answers late gets enough time, intervals are doubled while one packet after
// the other needs that, and stay so until a round trip is measured.
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>

#include "wire/tftp/session.h"

namespace vantro::wire::tftp {

class ResendTimer {
 public:
  // `timeout` is the device's, if it asked for one (RFC 2349). `seed` decides the jitter.
  ResendTimer(const Patience& patience, std::optional<std::chrono::seconds> timeout,
              std::uint64_t seed);

  // A packet with progress was sent for the first time.
  void sent(base::Instant now);
  // The transfer made progress, by an answer that may belong to an earlier packet.
  // `at_most` is the longest possible round trip: better than nothing, and counted only
  // if nothing was measured. Doubled intervals are halved again: in a lossy window no
  // packet may ever be clean enough to measure.
  void moved(base::Instant now, base::Duration at_most);
  // The peer's answer to it has arrived. May be called without a sent() before it.
  void answered(base::Instant now);
  // More packets were sent after a pause on this side. That does not count as progress,
  // and no round trip is measured across the pause.
  void postpone(base::Instant now);
  // Nothing is expected from the peer for now.
  void pause() { due_.reset(); }
  enum class Next {
    kProbe,   // send one packet that must be answered
    kResend,  // send everything again
    kGiveUp,  // the patience is over
  };
  // REQUIRES: due() has passed.
  Next expired(base::Instant now);

  std::optional<base::Instant> due() const { return due_; }
  // Probes and resends since the last sent().
  int tries() const { return probes_ + resends_; }
  bool heard() const { return heard_; }
  // The time until the first probe, or the first resend, as known now.
  base::Duration interval() const;
  // A round trip (SRTT); zero until one was measured.
  base::Duration usual() const { return smoothed_; }

 private:
  void start(base::Instant now);
  // The silence before everything is sent again.
  base::Duration full_wait() const;
  bool may_probe() const;
  void measure(base::Duration round_trip);
  base::Duration measured_interval(base::Duration shortest) const;
  base::Duration jittered(base::Duration interval);

  Patience patience_;                      // constant after construction
  std::optional<base::Duration> timeout_;  // from the device; constant
  std::uint64_t random_;
  base::Duration bound_;  // of a measured interval
  bool measured_ = false;
  base::Duration smoothed_{};  // SRTT
  base::Duration variation_{};
  int backed_off_ = 1;  // doubled intervals
  int sent_twice_ = 0;  // packets in a row
  base::Duration resend_wait_{};
  int probes_ = 0;
  int resends_ = 0;
  bool heard_ = false;
  bool measuring_ = false;  // sent once, without a pause, not answered yet
  base::Instant first_sent_{};
  base::Instant all_again_at_{};  // until then only probes are sent
  std::optional<base::Instant> due_;
};

}  // namespace vantro::wire::tftp
