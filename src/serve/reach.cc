#include "serve/reach.h"

#include <array>
#include <cerrno>
#include <netinet/in.h>
#include <netinet/ip_icmp.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include "base/bytes.h"
#include "base/unique_fd.h"
#include "net/socket_address.h"

namespace vantro::serve {
namespace {

bool leave_by(int socket, const std::string& interface) {
  return interface.empty() ||
         ::setsockopt(socket, SOL_SOCKET, SO_BINDTODEVICE, interface.data(),
                      static_cast<socklen_t>(interface.size())) == 0;
}

int milliseconds(base::Duration time) {
  return static_cast<int>(
      std::chrono::duration_cast<std::chrono::milliseconds>(time).count());
}

bool takes_connection(const base::Endpoint& where, const std::string& interface,
                      base::Duration wait) {
  const net::SocketAddress to(where);
  const base::UniqueFd socket(
      ::socket(to.storage.ss_family, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0));
  if (!socket || !leave_by(socket.get(), interface)) return false;
  if (::connect(socket.get(), to.get(), to.size) == 0) return true;
  if (errno != EINPROGRESS) return false;
  pollfd watched{socket.get(), POLLOUT, 0};
  if (::poll(&watched, 1, milliseconds(wait)) <= 0) return false;
  int error = 0;
  socklen_t size = sizeof error;
  ::getsockopt(socket.get(), SOL_SOCKET, SO_ERROR, &error, &size);
  return error == 0;
}

std::uint16_t checksum(base::ByteView bytes) {
  std::uint32_t sum = 0;
  for (std::size_t i = 0; i + 1 < bytes.size(); i += 2) sum += base::read_u16(bytes, i);
  while (sum >> 16 != 0) sum = (sum & 0xffff) + (sum >> 16);
  return static_cast<std::uint16_t>(~sum & 0xffff);
}

bool echoes(const base::Address& address, const std::string& interface,
            base::Duration wait) {
  // One for all users, if the system allows it for this group (icmp(7)); else a raw one.
  base::UniqueFd socket(::socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, IPPROTO_ICMP));
  if (!socket) socket.reset(::socket(AF_INET, SOCK_RAW | SOCK_CLOEXEC, IPPROTO_ICMP));
  if (!socket || !leave_by(socket.get(), interface)) return false;
  const net::SocketAddress to({address, 0, 0});
  // Only answers from this peer.
  if (::connect(socket.get(), to.get(), to.size) != 0) return false;
  std::array<std::uint8_t, 8> echo{ICMP_ECHO, 0, 0, 0, 0x56, 0x41, 0, 1};
  const auto sum = checksum(echo);
  echo[2] = static_cast<std::uint8_t>(sum >> 8);
  echo[3] = static_cast<std::uint8_t>(sum & 0xff);
  if (::send(socket.get(), echo.data(), echo.size(), 0) < 0) return false;
  const base::SystemClock clock;
  const auto until = clock.now() + wait;
  for (auto now = clock.now(); now < until; now = clock.now()) {
    pollfd watched{socket.get(), POLLIN, 0};
    if (::poll(&watched, 1, milliseconds(until - now) + 1) <= 0) continue;
    std::array<std::uint8_t, 256> answer{};
    const auto got = ::recv(socket.get(), answer.data(), answer.size(), MSG_DONTWAIT);
    if (got < 0) return false;  // an ICMP error: nobody is there
    // A raw socket delivers the IP header as well.
    const bool raw = got >= 1 && answer[0] >> 4 == 4;
    const std::size_t at = raw ? static_cast<std::size_t>(answer[0] & 0x0f) * 4 : 0;
    if (static_cast<std::size_t>(got) > at && answer[at] == ICMP_ECHOREPLY) return true;
  }
  return false;
}

}  // namespace

bool answers(const base::Address& address, std::uint16_t port,
             const std::string& interface, base::Duration wait) {
  return port == 0 ? echoes(address, interface, wait)
                   : takes_connection({address, port, 0}, interface, wait);
}

}  // namespace vantro::serve
