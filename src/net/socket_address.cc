#include "net/socket_address.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>
#include <netinet/in.h>

namespace vantro::net {

base::Endpoint endpoint_of(const void* address, std::size_t size) {
  base::Endpoint endpoint;
  sockaddr_in four{};
  sockaddr_in6 six{};
  sa_family_t family = AF_UNSPEC;
  std::memcpy(&family, address, sizeof family);
  if (family == AF_INET && size >= sizeof four) {
    std::memcpy(&four, address, sizeof four);
    endpoint.address = base::Address::v4(ntohl(four.sin_addr.s_addr));
    endpoint.port = ntohs(four.sin_port);
  } else if (family == AF_INET6 && size >= sizeof six) {
    std::memcpy(&six, address, sizeof six);
    std::array<std::uint8_t, 16> bytes{};
    std::copy(std::begin(six.sin6_addr.s6_addr), std::end(six.sin6_addr.s6_addr),
              bytes.begin());
    endpoint.address = base::Address::v6(bytes);
    endpoint.port = ntohs(six.sin6_port);
    endpoint.zone = six.sin6_scope_id;
  }
  return endpoint;
}

base::Endpoint local_endpoint(int socket) {
  sockaddr_storage own{};
  socklen_t size = sizeof own;
  if (::getsockname(socket, reinterpret_cast<sockaddr*>(&own), &size) != 0) return {};
  return endpoint_of(&own, size);
}

SocketAddress::SocketAddress(const base::Endpoint& where) {
  if (where.address.is_v4()) {
    sockaddr_in four{};
    four.sin_family = AF_INET;
    four.sin_port = htons(where.port);
    four.sin_addr.s_addr = htonl(where.address.v4_host_order());
    std::memcpy(&storage, &four, size = sizeof four);
  } else {
    sockaddr_in6 six{};
    six.sin6_family = AF_INET6;
    six.sin6_port = htons(where.port);
    six.sin6_scope_id = where.zone;
    std::memcpy(six.sin6_addr.s6_addr, where.address.bytes().data(), 16);
    std::memcpy(&storage, &six, size = sizeof six);
  }
}

}  // namespace vantro::net
