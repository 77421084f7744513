// The management API over HTTP/1.1, in the clear, under TLS, or on a local socket;
// callers are identified by a bearer token (RFC 6750), the cookie of a log-in, or their
// login on this machine. Calls run on the pools; the lane's thread only reads and writes.
#pragma once

#include "manage/service.h"
#include "net/tcp_shared.h"

namespace vantro::manage {

struct Pools {
  net::WorkPool& slow;   // for work that may take a minute
  net::WorkPool& doors;  // for checking passwords
};

// For a TcpServer, whose disk pool does the short work. All of it must outlive the
// server.
net::TcpProtocol protocol(const net::Services& services, const Pools& pools,
                          Service& service);

}  // namespace vantro::manage
