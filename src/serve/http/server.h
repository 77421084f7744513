// HTTP/1.0 and 1.1 for devices (RFC 9110, 9112), and the same under TLS. Not the
// management API: this is the tree that the gate shows to devices.
#pragma once

#include "net/http/connection.h"
#include "serve/shared.h"

namespace vantro::serve::http {

// For a TcpServer.
net::TcpProtocol protocol(const Services& services, const net::http::Patience& patience);

}  // namespace vantro::serve::http
