#include "serve/tftp/datagram_socket.h"

#include <array>
#include <cerrno>
#include <cstring>
#include <netinet/in.h>
#include <sys/socket.h>

namespace vantro::serve::tftp {
namespace {

namespace asio = boost::asio;

sockaddr_in to_sockaddr(const base::Endpoint& endpoint) {
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_port = htons(endpoint.port);
  address.sin_addr.s_addr = htonl(endpoint.address.v4_host_order());
  return address;
}

base::Endpoint from_sockaddr(const sockaddr_in& address) {
  return {base::Address::v4(ntohl(address.sin_addr.s_addr)), ntohs(address.sin_port)};
}

}  // namespace

int DatagramSocket::open(const base::Endpoint& local) {
  boost::system::error_code error;
  socket_.open(asio::ip::udp::v4(), error);
  if (error) return error.value();
  socket_.non_blocking(true, error);
  if (error) return error.value();
  const int on = 1;
  if (::setsockopt(socket_.native_handle(), IPPROTO_IP, IP_PKTINFO, &on, sizeof on) !=
      0) {
    return errno;
  }
  const asio::ip::udp::endpoint where(asio::ip::address_v4(local.address.v4_host_order()),
                                      local.port);
  socket_.bind(where, error);
  return error.value();
}

void DatagramSocket::close() {
  boost::system::error_code ignored;
  socket_.close(ignored);
}

base::Endpoint DatagramSocket::local() const {
  boost::system::error_code error;
  const auto endpoint = socket_.local_endpoint(error);
  if (error) return {};
  return {base::Address::v4(endpoint.address().to_v4().to_uint()), endpoint.port()};
}

std::optional<Received> DatagramSocket::receive(std::span<std::uint8_t> buffer) {
  sockaddr_in peer{};
  iovec part{buffer.data(), buffer.size()};
  alignas(cmsghdr) std::array<char, CMSG_SPACE(sizeof(in_pktinfo))> control{};
  msghdr message{};
  message.msg_name = &peer;
  message.msg_namelen = sizeof peer;
  message.msg_iov = &part;
  message.msg_iovlen = 1;
  message.msg_control = control.data();
  message.msg_controllen = control.size();
  const auto count = ::recvmsg(socket_.native_handle(), &message, MSG_DONTWAIT);
  if (count < 0) return std::nullopt;
  Received received;
  received.peer = from_sockaddr(peer);
  received.bytes = {buffer.data(), static_cast<std::size_t>(count)};
  for (auto* part_of = CMSG_FIRSTHDR(&message); part_of != nullptr;
       part_of = CMSG_NXTHDR(&message, part_of)) {
    if (part_of->cmsg_level != IPPROTO_IP || part_of->cmsg_type != IP_PKTINFO) continue;
    in_pktinfo info{};
    std::memcpy(&info, CMSG_DATA(part_of), sizeof info);
    // For a broadcast ipi_addr is not ours; ipi_spec_dst always is (ip(7)).
    received.to = base::Address::v4(ntohl(info.ipi_spec_dst.s_addr));
  }
  return received;
}

void DatagramSocket::send(const base::Endpoint& to, base::ByteView head,
                          base::ByteView payload) {
  auto address = to_sockaddr(to);
  std::array<iovec, 2> parts{
      iovec{const_cast<std::uint8_t*>(head.data()), head.size()},
      iovec{const_cast<std::uint8_t*>(payload.data()), payload.size()}};
  msghdr message{};
  message.msg_name = &address;
  message.msg_namelen = sizeof address;
  message.msg_iov = parts.data();
  message.msg_iovlen = payload.empty() ? 1 : 2;
  // Lost like any datagram if the socket's buffer is full: the session sends it again.
  [[maybe_unused]] const auto sent =
      ::sendmsg(socket_.native_handle(), &message, MSG_DONTWAIT | MSG_NOSIGNAL);
}

}  // namespace vantro::serve::tftp
