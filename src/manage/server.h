// The management API over HTTP/1.1, with a bearer token (RFC 6750), in the clear or under
// TLS. Calls are worked off on the pools; the lane's thread only reads and writes.
#pragma once

#include <string>

#include "manage/service.h"
#include "net/tcp_shared.h"

namespace vantro::manage {

struct Access {
  std::string token;
  std::string secrets_token;  // may the same, and see secrets as well
};

// For a TcpServer, whose disk pool works off what is short. All of it must outlive the
// server, but for `access`; `slow` is for work that may take a minute.
net::TcpProtocol protocol(const net::Services& services, net::WorkPool& slow,
                          Service& service, Access access);

}  // namespace vantro::manage
