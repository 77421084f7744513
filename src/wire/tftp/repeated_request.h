// What to do with a request from an address and port that already has a transfer.
#pragma once

#include "base/clock.h"

namespace vantro::wire::tftp {

struct RunningTransfer {
  bool same_request = false;   // the same request again, byte for byte
  bool opened = false;         // the gate has answered; else the question is open
  bool ended = false;          // its outcome is known; it may linger
  bool heard = false;          // the peer has answered on it at least once
  bool shared_port = false;    // its packets come to the requests' port
  base::Duration quiet_for{};  // since the peer was last heard on it
};

enum class OnRequest {
  kIgnore,   // it is the running request: its resend timer answers
  kReplace,  // the device began again: the old transfer is useless
  // It may be a restarted device, or an old copy of the request that took a detour. Both
  // transfers get a chance: when the peer answers on the new one, the old one is over.
  kOpenBeside,
};

OnRequest on_request(const RunningTransfer& running);

}  // namespace vantro::wire::tftp
