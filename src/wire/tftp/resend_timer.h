// When to send a packet again: the interval doubles with each try, a little of it by
// chance (so that devices that lost power together do not all ask at the same instants),
// bounded in count and in time.
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>

#include "wire/tftp/session.h"

namespace vantro::wire::tftp {

class ResendTimer {
 public:
  // `timeout`, if the device asked for one, is the first interval (RFC 2349).
  // `seed` decides the jitter.
  ResendTimer(const Patience& patience, std::optional<std::chrono::seconds> timeout,
              std::uint64_t seed);

  // A packet that moves the transfer on was sent for the first time.
  void sent(base::Instant now);
  // Nothing is expected from the peer for now.
  void pause() { due_.reset(); }
  // REQUIRES: due() has passed. True: send it again. False: the patience is spent.
  bool resend(base::Instant now);

  std::optional<base::Instant> due() const { return due_; }

 private:
  base::Duration jittered(base::Duration interval);

  Patience patience_;  // constant after construction
  std::uint64_t random_;
  base::Duration interval_{};
  int tries_ = 0;
  base::Instant first_sent_{};
  std::optional<base::Instant> due_;
};

}  // namespace vantro::wire::tftp
