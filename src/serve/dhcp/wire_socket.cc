#include "serve/dhcp/wire_socket.h"

#include <array>
#include <cerrno>
#include <cstring>
#include <linux/filter.h>
#include <linux/if_ether.h>
#include <linux/if_packet.h>
#include <net/if.h>
#include <netinet/in.h>
#include <sys/socket.h>

namespace vantro::serve::dhcp {
namespace {

// IPv4 without options, UDP, not a fragment, to port 67 or 68. The offsets are those of
// the Ethernet frame.
std::array<sock_filter, 12> dhcp_filter() {
  return {{
      BPF_STMT(BPF_LD | BPF_H | BPF_ABS, 12),
      BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, ETH_P_IP, 0, 8),
      BPF_STMT(BPF_LD | BPF_B | BPF_ABS, 23),
      BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, IPPROTO_UDP, 0, 6),
      BPF_STMT(BPF_LD | BPF_H | BPF_ABS, 20),
      BPF_JUMP(BPF_JMP | BPF_JSET | BPF_K, 0x1fff, 4, 0),
      BPF_STMT(BPF_LDX | BPF_B | BPF_MSH, 14),
      BPF_STMT(BPF_LD | BPF_H | BPF_IND, 16),
      BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, 67, 2, 0),
      BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, 68, 1, 0),
      BPF_STMT(BPF_RET | BPF_K, 0),
      BPF_STMT(BPF_RET | BPF_K, 65535),
  }};
}

}  // namespace

int WireSocket::open(const std::string& interface, For what) {
  const auto index = ::if_nametoindex(interface.c_str());
  if (index == 0) return ENODEV;
  const auto protocol =
      static_cast<std::uint16_t>(what == For::kDhcp ? ETH_P_IP : ETH_P_ARP);
  // Without a protocol it receives nothing until it is bound, so nothing arrives before
  // the filter is set.
  base::UniqueFd socket(::socket(AF_PACKET, SOCK_RAW | SOCK_CLOEXEC | SOCK_NONBLOCK, 0));
  if (!socket) return errno;
  if (what == For::kDhcp) {
    auto code = dhcp_filter();
    const sock_fprog program{static_cast<unsigned short>(code.size()), code.data()};
    if (::setsockopt(socket.get(), SOL_SOCKET, SO_ATTACH_FILTER, &program,
                     sizeof program) != 0) {
      return errno;
    }
  }
  const int on = 1;
  ::setsockopt(socket.get(), SOL_PACKET, PACKET_AUXDATA, &on, sizeof on);
  sockaddr_ll where{};
  where.sll_family = AF_PACKET;
  where.sll_protocol = htons(protocol);
  where.sll_ifindex = static_cast<int>(index);
  if (::bind(socket.get(), reinterpret_cast<const sockaddr*>(&where), sizeof where) !=
      0) {
    return errno;
  }
  fd_ = std::move(socket);
  return 0;
}

std::optional<WireSocket::Frame> WireSocket::receive(
    std::span<std::uint8_t> buffer) const {
  iovec part{buffer.data(), buffer.size()};
  alignas(cmsghdr) std::array<char, CMSG_SPACE(sizeof(tpacket_auxdata))> control{};
  sockaddr_ll from{};
  msghdr message{};
  message.msg_name = &from;
  message.msg_namelen = sizeof from;
  message.msg_iov = &part;
  message.msg_iovlen = 1;
  message.msg_control = control.data();
  message.msg_controllen = control.size();
  const auto got = ::recvmsg(fd_.get(), &message, 0);
  if (got <= 0) return std::nullopt;
  Frame frame{base::ByteView(buffer).first(static_cast<std::size_t>(got)), true};
  for (auto* one = CMSG_FIRSTHDR(&message); one != nullptr;
       one = CMSG_NXTHDR(&message, one)) {
    if (one->cmsg_level != SOL_PACKET || one->cmsg_type != PACKET_AUXDATA) continue;
    tpacket_auxdata about{};
    std::memcpy(&about, CMSG_DATA(one), sizeof about);
    frame.checksum_there = (about.tp_status & TP_STATUS_CSUMNOTREADY) == 0;
  }
  return frame;
}

void WireSocket::send(base::ByteView frame) const {
  const auto sent = ::send(fd_.get(), frame.data(), frame.size(), MSG_DONTWAIT);
  static_cast<void>(sent);  // lost like a datagram on the network
}

}  // namespace vantro::serve::dhcp
