// HTTP/1.0 and 1.1 for devices (RFC 9110, 9112), and the same under TLS. Not the
// management API: here is what the gate lets devices see.
#pragma once

#include "base/clock.h"
#include "serve/tcp_shared.h"

namespace vantro::serve::http {

struct Patience {
  base::Duration head = std::chrono::seconds(20);   // for a whole head
  base::Duration idle = std::chrono::seconds(60);   // between two requests
  base::Duration stall = std::chrono::seconds(60);  // nothing moves in a body
};

// For a TcpServer.
TcpProtocol protocol(const Patience& patience);

}  // namespace vantro::serve::http
