// Our endpoints in the form of the socket calls, and back.
#pragma once

#include <cstddef>
#include <sys/socket.h>

#include "base/address.h"

namespace vantro::net {

// From a socket's own or its peer's address; unspecified for any other family.
base::Endpoint endpoint_of(const void* address, std::size_t size);
// The address that a socket is bound to; unspecified if it is not.
base::Endpoint local_endpoint(int socket);

struct SocketAddress {
  explicit SocketAddress(const base::Endpoint& where);
  const sockaddr* get() const { return reinterpret_cast<const sockaddr*>(&storage); }
  sockaddr_storage storage{};
  socklen_t size = 0;
};

}  // namespace vantro::net
