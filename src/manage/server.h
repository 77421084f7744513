// The management API over HTTP/1.1, in the clear, under TLS, or on a local socket;
// callers are known by a bearer token (RFC 6750), a cookie of a log-in, or their login on
// this machine. Calls are worked off on the pools; the lane's thread only reads and
// writes.
#pragma once

#include "manage/service.h"
#include "net/tcp_shared.h"

namespace vantro::manage {

struct Pools {
  net::WorkPool& slow;   // for work that may take a minute
  net::WorkPool& doors;  // where passwords are looked at
};

// For a TcpServer, whose disk pool works off what is short. All of it must outlive the
// server.
net::TcpProtocol protocol(const net::Services& services, const Pools& pools,
                          Service& service);

}  // namespace vantro::manage
