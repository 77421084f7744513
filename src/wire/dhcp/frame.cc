#include "wire/dhcp/frame.h"

#include <algorithm>

namespace vantro::wire::dhcp {
namespace {

using base::ByteBuffer;
using base::ByteView;

constexpr std::size_t kEthernetHead = 14;
constexpr std::size_t kIpHead = 20;  // without options
constexpr std::size_t kUdpHead = 8;
constexpr std::size_t kArpSize = 28;
constexpr std::uint8_t kUdp = 17;
constexpr std::uint8_t kTimeToLive = 64;

// RFC 1071. `sum` is the sum so far.
std::uint32_t sum_of(ByteView bytes, std::uint32_t sum = 0) {
  for (std::size_t i = 0; i + 1 < bytes.size(); i += 2) sum += base::read_u16(bytes, i);
  if (bytes.size() % 2 != 0) sum += static_cast<std::uint32_t>(bytes.back()) << 8;
  return sum;
}

std::uint16_t folded(std::uint32_t sum) {
  while (sum >> 16 != 0) sum = (sum & 0xffff) + (sum >> 16);
  return static_cast<std::uint16_t>(~sum & 0xffff);
}

ByteView four_of(const base::Address& address) {
  return ByteView(address.bytes()).last(4);
}

std::uint32_t pseudo_head(const base::Address& from, const base::Address& to,
                          std::size_t udp_size) {
  return sum_of(four_of(from), sum_of(four_of(to))) + kUdp +
         static_cast<std::uint32_t>(udp_size);
}

base::Address address_at(ByteView bytes, std::size_t at) {
  return base::Address::v4(static_cast<std::uint32_t>(base::read_u16(bytes, at)) << 16 |
                           base::read_u16(bytes, at + 2));
}

base::LinkAddress link_at(ByteView bytes, std::size_t at) {
  base::LinkAddress address;
  std::copy_n(bytes.begin() + static_cast<std::ptrdiff_t>(at), 6, address.bytes.begin());
  return address;
}

void append(ByteBuffer& to, ByteView bytes) {
  to.insert(to.end(), bytes.begin(), bytes.end());
}

ByteBuffer ethernet_head(const base::LinkAddress& to, const base::LinkAddress& from,
                         std::uint16_t type) {
  ByteBuffer frame;
  append(frame, to.bytes);
  append(frame, from.bytes);
  base::append_u16(frame, type);
  return frame;
}

}  // namespace

std::optional<Datagram> parse_datagram(ByteView frame, bool checksum_there) {
  if (frame.size() < kEthernetHead + kIpHead + kUdpHead) return std::nullopt;
  if (base::read_u16(frame, 12) != kIpv4Frame) return std::nullopt;
  const auto ip = frame.subspan(kEthernetHead);
  const std::size_t head = static_cast<std::size_t>(ip[0] & 0x0f) * 4;
  if (ip[0] >> 4 != 4 || head < kIpHead || ip[9] != kUdp) return std::nullopt;
  const std::size_t length = base::read_u16(ip, 2);
  // After it an Ethernet frame may have padding.
  if (length > ip.size() || length < head + kUdpHead) return std::nullopt;
  const bool is_fragment = (base::read_u16(ip, 6) & 0x3fff) != 0;
  if (is_fragment || folded(sum_of(ip.first(head))) != 0) return std::nullopt;
  Datagram datagram;
  datagram.to_link = link_at(frame, 0);
  datagram.from_link = link_at(frame, 6);
  datagram.from.address = address_at(ip, 12);
  datagram.to.address = address_at(ip, 16);
  const auto udp = ip.subspan(head, length - head);
  datagram.from.port = base::read_u16(udp, 0);
  datagram.to.port = base::read_u16(udp, 2);
  const std::size_t udp_length = base::read_u16(udp, 4);
  if (udp_length < kUdpHead || udp_length > udp.size()) return std::nullopt;
  const auto whole = udp.first(udp_length);
  // Zero: the sender gave none (RFC 768).
  if (checksum_there && base::read_u16(udp, 6) != 0 &&
      folded(sum_of(whole, pseudo_head(datagram.from.address, datagram.to.address,
                                       udp_length))) != 0) {
    return std::nullopt;
  }
  datagram.bytes = whole.subspan(kUdpHead);
  return datagram;
}

ByteBuffer encode_datagram(const Datagram& datagram) {
  auto frame = ethernet_head(datagram.to_link, datagram.from_link, kIpv4Frame);
  const auto udp_size = kUdpHead + datagram.bytes.size();
  ByteBuffer ip{0x45, 0};
  base::append_u16(ip, static_cast<std::uint16_t>(kIpHead + udp_size));
  base::append_u16(ip,
                   0);  // identification: a datagram that is never fragmented needs none
  base::append_u16(ip, 0x4000);
  ip.push_back(kTimeToLive);
  ip.push_back(kUdp);
  base::append_u16(ip, 0);
  append(ip, four_of(datagram.from.address));
  append(ip, four_of(datagram.to.address));
  const auto head_sum = folded(sum_of(ip));
  ip[10] = static_cast<std::uint8_t>(head_sum >> 8);
  ip[11] = static_cast<std::uint8_t>(head_sum & 0xff);

  ByteBuffer udp;
  base::append_u16(udp, datagram.from.port);
  base::append_u16(udp, datagram.to.port);
  base::append_u16(udp, static_cast<std::uint16_t>(udp_size));
  base::append_u16(udp, 0);
  append(udp, datagram.bytes);
  auto sum = folded(
      sum_of(udp, pseudo_head(datagram.from.address, datagram.to.address, udp_size)));
  if (sum == 0) sum = 0xffff;
  udp[6] = static_cast<std::uint8_t>(sum >> 8);
  udp[7] = static_cast<std::uint8_t>(sum & 0xff);

  append(frame, ip);
  append(frame, udp);
  return frame;
}

std::optional<Arp> parse_arp(ByteView frame) {
  if (frame.size() < kEthernetHead + kArpSize) return std::nullopt;
  if (base::read_u16(frame, 12) != kArpFrame) return std::nullopt;
  const auto arp = frame.subspan(kEthernetHead);
  // Ethernet and IPv4, with addresses of 6 and 4 bytes.
  if (base::read_u16(arp, 0) != 1 || base::read_u16(arp, 2) != kIpv4Frame ||
      arp[4] != 6 || arp[5] != 4) {
    return std::nullopt;
  }
  const auto operation = base::read_u16(arp, 6);
  if (operation != 1 && operation != 2) return std::nullopt;
  return Arp{operation == 2, link_at(arp, 8), address_at(arp, 14), link_at(arp, 18),
             address_at(arp, 24)};
}

ByteBuffer encode_arp(const Arp& arp) {
  auto frame = ethernet_head(arp.reply ? arp.to_link : base::LinkAddress::everybody(),
                             arp.from_link, kArpFrame);
  base::append_u16(frame, 1);
  base::append_u16(frame, kIpv4Frame);
  frame.insert(frame.end(), {6, 4});
  base::append_u16(frame, arp.reply ? 2 : 1);
  append(frame, arp.from_link.bytes);
  append(frame, four_of(arp.from));
  append(frame, arp.to_link.bytes);
  append(frame, four_of(arp.to));
  return frame;
}

}  // namespace vantro::wire::dhcp
