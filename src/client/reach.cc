#include "client/reach.h"

#include <arpa/inet.h>
#include <array>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <netinet/in.h>
#include <optional>
#include <poll.h>
#include <span>
#include <sys/socket.h>
#include <unistd.h>

#include "base/unique_fd.h"

namespace vantro::client {
namespace {

constexpr int kPatience = 1000;  // ms

struct SocketName {
  sockaddr_storage bytes{};
  socklen_t size = 0;
  int family = AF_INET;
};

std::optional<SocketName> name_of(const std::string& address, std::uint16_t port) {
  SocketName name;
  auto* v4 = reinterpret_cast<sockaddr_in*>(&name.bytes);
  if (::inet_pton(AF_INET, address.c_str(), &v4->sin_addr) == 1) {
    v4->sin_family = AF_INET;
    v4->sin_port = htons(port);
    name.size = sizeof *v4;
    return name;
  }
  auto* v6 = reinterpret_cast<sockaddr_in6*>(&name.bytes);
  if (::inet_pton(AF_INET6, address.c_str(), &v6->sin6_addr) != 1) return std::nullopt;
  v6->sin6_family = AF_INET6;
  v6->sin6_port = htons(port);
  name.size = sizeof *v6;
  name.family = AF_INET6;
  return name;
}

bool ready(int socket, short events) {
  pollfd wanted{socket, events, 0};
  return ::poll(&wanted, 1, kPatience) == 1;
}

}  // namespace

bool accepts_tcp(const std::string& address, std::uint16_t port) {
  const auto name = name_of(address, port);
  if (!name) return false;
  const base::UniqueFd socket(
      ::socket(name->family, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0));
  if (socket.get() < 0) return false;
  const auto* to = reinterpret_cast<const sockaddr*>(&name->bytes);
  if (::connect(socket.get(), to, name->size) == 0) return true;
  if (errno != EINPROGRESS || !ready(socket.get(), POLLOUT)) return false;
  int error = 0;
  socklen_t size = sizeof error;
  return ::getsockopt(socket.get(), SOL_SOCKET, SO_ERROR, &error, &size) == 0 &&
         error == 0;
}

namespace {

// RFC 1071.
std::uint16_t checksum(std::span<const std::uint8_t> bytes) {
  std::uint32_t sum = 0;
  for (std::size_t i = 0; i + 1 < bytes.size(); i += 2) {
    sum += static_cast<std::uint32_t>(bytes[i] << 8 | bytes[i + 1]);
  }
  while (sum >> 16 != 0) sum = (sum & 0xffff) + (sum >> 16);
  return static_cast<std::uint16_t>(~sum);
}

}  // namespace

Result<bool> answers_ping(const std::string& address) {
  const auto name = name_of(address, 0);
  if (!name) return false;
  const bool v4 = name->family == AF_INET;
  const int protocol = v4 ? IPPROTO_ICMP : static_cast<int>(IPPROTO_ICMPV6);
  // The kernel's own socket for all users (ping(7)), else a raw one for root.
  base::UniqueFd socket(::socket(name->family, SOCK_DGRAM | SOCK_CLOEXEC, protocol));
  const bool raw = socket.get() < 0;
  if (raw) {
    socket = base::UniqueFd(::socket(name->family, SOCK_RAW | SOCK_CLOEXEC, protocol));
  }
  if (socket.get() < 0) {
    return tl::unexpected(
        Failure{ExitCode::kRefused,
                fmt::format("this user may not send pings ({}); use --tcp PORT, or set "
                            "net.ipv4.ping_group_range",
                            std::strerror(errno))});
  }
  // RFC 792, RFC 4443, 4.1: type, code, checksum, identifier, sequence number. The kernel
  // sets checksum and identifier except on a raw IPv4 socket.
  std::array<std::uint8_t, 16> echo{};
  echo[0] = v4 ? 8 : 128;
  echo[4] = static_cast<std::uint8_t>(::getpid() >> 8);
  echo[5] = static_cast<std::uint8_t>(::getpid());
  echo[7] = 1;
  if (v4 && raw) {
    const auto sum = checksum(echo);
    echo[2] = static_cast<std::uint8_t>(sum >> 8);
    echo[3] = static_cast<std::uint8_t>(sum);
  }
  const auto* to = reinterpret_cast<const sockaddr*>(&name->bytes);
  if (::sendto(socket.get(), echo.data(), echo.size(), 0, to, name->size) < 0)
    return false;
  // A raw socket also receives the answers for others, and its own request on loopback.
  constexpr int kMostHeard = 64;
  for (int heard = 0; heard < kMostHeard && ready(socket.get(), POLLIN); ++heard) {
    std::array<std::uint8_t, 128> reply{};
    const auto count = ::recv(socket.get(), reply.data(), reply.size(), 0);
    // Raw IPv4 comes with its IP header (RFC 791, 3.1).
    const std::size_t at = v4 && raw ? std::size_t{4} * (reply[0] & 0x0f) : 0;
    if (count < static_cast<ssize_t>(at + 8)) continue;
    if (reply[at] != (v4 ? 0 : 129)) continue;
    if (!raw || (reply[at + 4] == echo[4] && reply[at + 5] == echo[5])) return true;
  }
  return false;
}

}  // namespace vantro::client
