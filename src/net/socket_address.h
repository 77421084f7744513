// Our endpoints as the socket calls want them, and back.
#pragma once

#include <cstddef>
#include <sys/socket.h>

#include "base/address.h"

namespace vantro::net {

// From a socket's own or its peer's address; unspecified for any other family.
base::Endpoint endpoint_of(const void* address, std::size_t size);
// Where a socket is bound; unspecified if it is not.
base::Endpoint local_endpoint(int socket);

struct SocketAddress {
  explicit SocketAddress(const base::Endpoint& where);
  const sockaddr* get() const { return reinterpret_cast<const sockaddr*>(&storage); }
  sockaddr_storage storage{};
  socklen_t size = 0;
};

}  // namespace vantro::net
