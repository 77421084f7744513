#include "serve/tftp/udp_socket.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <netinet/udp.h>

namespace vantro::serve::tftp {
namespace {

// The kernel's limit for one call with UDP_SEGMENT.
constexpr std::size_t kMostSegments = 64;
constexpr std::size_t kMostBytes = 65'000;
// Space for a window, or for a burst of requests; the system may grant less.
constexpr int kSocketBuffer = 1024 * 1024;

base::Address address_of(const in6_addr& from) {
  std::array<std::uint8_t, 16> bytes{};
  std::copy(std::begin(from.s6_addr), std::end(from.s6_addr), bytes.begin());
  return base::Address::v6(bytes);
}

// The control data of one message: at most the source address and a segment size.
class Control {
 public:
  void add_source(msghdr& message, const base::Address& from) {
    if (from.is_v4()) {
      in_pktinfo info{};
      info.ipi_spec_dst.s_addr = htonl(from.v4_host_order());
      add(message, IPPROTO_IP, IP_PKTINFO, &info, sizeof info);
    } else {
      in6_pktinfo info{};
      std::copy(from.bytes().begin(), from.bytes().end(),
                std::begin(info.ipi6_addr.s6_addr));
      add(message, IPPROTO_IPV6, IPV6_PKTINFO, &info, sizeof info);
    }
  }
  void add_segment_size(msghdr& message, std::uint16_t size) {
    add(message, IPPROTO_UDP, UDP_SEGMENT, &size, sizeof size);
  }

 private:
  void add(msghdr& message, int level, int type, const void* data, std::size_t size) {
    auto* header = reinterpret_cast<cmsghdr*>(bytes_.data() + used_);
    header->cmsg_level = level;
    header->cmsg_type = type;
    header->cmsg_len = CMSG_LEN(size);
    std::memcpy(CMSG_DATA(header), data, size);
    used_ += CMSG_SPACE(size);
    message.msg_control = bytes_.data();
    message.msg_controllen = used_;
  }

  alignas(
      cmsghdr) std::array<char, CMSG_SPACE(sizeof(in6_pktinfo)) + CMSG_SPACE(2)> bytes_{};
  std::size_t used_ = 0;
};

void enlarge(int fd, int forced, int option) {
  // The forced form needs a permission that a service rarely has.
  if (::setsockopt(fd, SOL_SOCKET, forced, &kSocketBuffer, sizeof kSocketBuffer) == 0)
    return;
  ::setsockopt(fd, SOL_SOCKET, option, &kSocketBuffer, sizeof kSocketBuffer);
}

}  // namespace

Route::Route(const base::Endpoint& peer, const base::Address& from)
    : to_(peer), from_(from) {}

int UdpSocket::open(const base::Endpoint& local) { return open(local, false); }
int UdpSocket::open_shared(const base::Endpoint& local) { return open(local, true); }

int UdpSocket::open(const base::Endpoint& local, bool shared) {
  v6_ = !local.address.is_v4();
  base::UniqueFd fd(
      ::socket(v6_ ? AF_INET6 : AF_INET, SOCK_DGRAM | SOCK_NONBLOCK | SOCK_CLOEXEC, 0));
  if (!fd) return errno;
  const int on = 1;
  const auto set = [&](int level, int option) {
    return ::setsockopt(fd.get(), level, option, &on, sizeof on) == 0;
  };
  // IPv6 sockets are for IPv6 alone: both families can then have the same port.
  const bool done =
      v6_ ? set(IPPROTO_IPV6, IPV6_V6ONLY) && set(IPPROTO_IPV6, IPV6_RECVPKTINFO)
          : set(IPPROTO_IP, IP_PKTINFO);
  if (!done || (shared && !set(SOL_SOCKET, SO_REUSEPORT))) return errno;
  enlarge(fd.get(), SO_SNDBUFFORCE, SO_SNDBUF);
  enlarge(fd.get(), SO_RCVBUFFORCE, SO_RCVBUF);
  const net::SocketAddress address(local);
  if (::bind(fd.get(), address.get(), address.size) != 0) return errno;
  fd_ = std::move(fd);
  return 0;
}

int UdpSocket::share_port() {
  // After bind(), not before: so a second server on this port is still refused.
  const int on = 1;
  return ::setsockopt(fd_.get(), SOL_SOCKET, SO_REUSEPORT, &on, sizeof on) == 0 ? 0
                                                                                : errno;
}

base::Endpoint UdpSocket::local() const { return net::local_endpoint(fd_.get()); }

std::optional<Received> UdpSocket::receive(std::span<std::uint8_t> buffer,
                                           bool wants_destination) {
  sockaddr_storage peer;
  Received received;
  if (!wants_destination) {
    socklen_t length = sizeof peer;
    const auto count = ::recvfrom(fd_.get(), buffer.data(), buffer.size(), MSG_DONTWAIT,
                                  reinterpret_cast<sockaddr*>(&peer), &length);
    if (count < 0) return std::nullopt;
    received.peer = net::endpoint_of(&peer, length);
    received.bytes = {buffer.data(), static_cast<std::size_t>(count)};
    return received;
  }
  iovec part{buffer.data(), buffer.size()};
  alignas(cmsghdr) std::array<char, CMSG_SPACE(sizeof(in6_pktinfo))> control;
  msghdr message{};
  message.msg_name = &peer;
  message.msg_namelen = sizeof peer;
  message.msg_iov = &part;
  message.msg_iovlen = 1;
  message.msg_control = control.data();
  message.msg_controllen = control.size();
  const auto count = ::recvmsg(fd_.get(), &message, MSG_DONTWAIT);
  if (count < 0) return std::nullopt;
  received.peer = net::endpoint_of(&peer, message.msg_namelen);
  received.bytes = {buffer.data(), static_cast<std::size_t>(count)};
  for (auto* one = CMSG_FIRSTHDR(&message); one != nullptr;
       one = CMSG_NXTHDR(&message, one)) {
    if (one->cmsg_level == IPPROTO_IP && one->cmsg_type == IP_PKTINFO) {
      in_pktinfo info{};
      std::memcpy(&info, CMSG_DATA(one), sizeof info);
      // For a broadcast ipi_addr is not ours; ipi_spec_dst always is (ip(7)).
      received.to = base::Address::v4(ntohl(info.ipi_spec_dst.s_addr));
      received.interface = static_cast<std::uint32_t>(info.ipi_ifindex);
    } else if (one->cmsg_level == IPPROTO_IPV6 && one->cmsg_type == IPV6_PKTINFO) {
      in6_pktinfo info{};
      std::memcpy(&info, CMSG_DATA(one), sizeof info);
      const auto to = address_of(info.ipi6_addr);
      if (!to.is_multicast()) received.to = to;
      received.interface = info.ipi6_ifindex;
    }
  }
  return received;
}

int UdpSocket::connect(const Route& peer) {
  if (::connect(fd_.get(), peer.to_.get(), peer.to_.size) != 0) return errno;
  connected_ = true;
  return 0;
}

void UdpSocket::address(msghdr& message, const Route& route) const {
  if (connected_) return;
  message.msg_name = const_cast<sockaddr_storage*>(&route.to_.storage);
  message.msg_namelen = route.to_.size;
}

void UdpSocket::send(const Route& route, base::ByteView datagram) const {
  iovec part{const_cast<std::uint8_t*>(datagram.data()), datagram.size()};
  msghdr message{};
  address(message, route);
  message.msg_iov = &part;
  message.msg_iovlen = 1;
  Control control;
  if (!route.from_.is_unspecified()) control.add_source(message, route.from_);
  [[maybe_unused]] const auto sent =
      ::sendmsg(fd_.get(), &message, MSG_DONTWAIT | MSG_NOSIGNAL);
}

void UdpSocket::send(Route& route, const wire::tftp::SendBlocks& blocks) const {
  constexpr std::size_t kHead = 4;
  std::array<std::array<std::uint8_t, kHead>, kMostSegments> heads;
  std::array<iovec, 2 * kMostSegments> parts;
  const auto at_once =
      std::clamp<std::size_t>(kMostBytes / (blocks.block_size + kHead), 1, kMostSegments);
  std::size_t sent = 0;
  while (sent < blocks.count) {
    const auto count =
        route.segments_ ? std::min(at_once, blocks.count - sent) : std::size_t{1};
    for (std::size_t i = 0; i < count; ++i) {
      const auto number = static_cast<std::uint16_t>(blocks.first + sent + i);
      heads[i] = {0, 3, static_cast<std::uint8_t>(number >> 8),
                  static_cast<std::uint8_t>(number & 0xff)};
      const auto offset = std::min((sent + i) * blocks.block_size, blocks.bytes.size());
      const auto size = std::min(blocks.block_size, blocks.bytes.size() - offset);
      parts[2 * i] = {heads[i].data(), kHead};
      parts[2 * i + 1] = {const_cast<std::uint8_t*>(blocks.bytes.data() + offset), size};
    }
    msghdr message{};
    address(message, route);
    message.msg_iov = parts.data();
    message.msg_iovlen = 2 * count;
    Control control;
    if (!route.from_.is_unspecified()) control.add_source(message, route.from_);
    if (count > 1) {
      control.add_segment_size(message,
                               static_cast<std::uint16_t>(blocks.block_size + kHead));
    }
    const auto done = ::sendmsg(fd_.get(), &message, MSG_DONTWAIT | MSG_NOSIGNAL);
    // The kernel cannot cut blocks larger than the path's packets; one by one they go in
    // fragments.
    if (done < 0 && count > 1 && (errno == EINVAL || errno == EMSGSIZE || errno == EIO)) {
      route.segments_ = false;
      continue;
    }
    sent += count;
  }
}

}  // namespace vantro::serve::tftp
