// Ethernet frames with a UDP datagram over IPv4 in them (RFC 894, 791, 768), and ARP (RFC
// 826, 5227): for speaking with a device that has no address yet, which the system's own
// sockets cannot reach.
#pragma once

#include <cstdint>
#include <optional>

#include "base/address.h"
#include "base/bytes.h"
#include "base/link_address.h"

namespace vantro::wire::dhcp {

inline constexpr std::uint16_t kServerPort = 67;
inline constexpr std::uint16_t kClientPort = 68;
inline constexpr std::uint16_t kIpv4Frame = 0x0800;  // Ethernet types
inline constexpr std::uint16_t kArpFrame = 0x0806;

struct Datagram {
  base::LinkAddress from_link, to_link;
  base::Endpoint from, to;
  base::ByteView bytes;  // parsed: a view into the frame
};

// Nothing for any other frame: another protocol, a fragment, truncated, or with a wrong
// checksum of its IP header or of UDP. `checksum_there`: false for a frame of this
// machine's own, whose checksum the kernel leaves to an interface that never sends it
// (packet(7), TP_STATUS_CSUMNOTREADY).
std::optional<Datagram> parse_datagram(base::ByteView frame, bool checksum_there = true);
base::ByteBuffer encode_datagram(const Datagram& datagram);

struct Arp {
  bool reply = false;
  base::LinkAddress from_link;
  base::Address from = base::Address::v4(0);
  base::LinkAddress to_link;
  base::Address to = base::Address::v4(0);
};

std::optional<Arp> parse_arp(base::ByteView frame);
base::ByteBuffer encode_arp(const Arp& arp);

// A probe asks who has an address, from a sender that does not have it itself (RFC 5227,
// 2.1.1).
inline Arp arp_probe(const base::LinkAddress& from, const base::Address& wanted) {
  return {false, from, base::Address::v4(0), {}, wanted};
}

}  // namespace vantro::wire::dhcp
