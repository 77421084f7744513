// An IP address without a port, as a value that can be compared and shown.
#pragma once

#include <array>
#include <compare>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace vantro::base {

class Address {
 public:
  // IPv4 (four numbers with dots) or IPv6 (RFC 4291, 2.2). A link-local one may have
  // "%eth0" behind it for the interface (RFC 4007, 11), as people copy it from elsewhere;
  // it does not count in comparisons. Nothing for any other text.
  static std::optional<Address> parse(std::string_view text);
  static Address v4(std::uint32_t host_order);

  bool is_v4() const;
  // REQUIRES: is_v4()
  std::uint32_t v4_host_order() const;
  bool is_unspecified() const;
  bool is_loopback() const;
  bool is_multicast() const;
  // IPv6 fe80::/10 (RFC 4291, 2.5.6).
  bool is_link_local() const;
  // The network that it is assumed to be in where no mask is known: IPv4 /24, IPv6 /64.
  // The rest is zero.
  Address network() const;
  // In network byte order; IPv4 mapped (RFC 4291, 2.5.5.2).
  const std::array<std::uint8_t, 16>& bytes() const { return bytes_; }
  static Address v6(const std::array<std::uint8_t, 16>& bytes);
  std::string text() const;

  auto operator<=>(const Address&) const = default;

 private:
  // IPv4 is in the last four bytes after ::ffff: (RFC 4291, 2.5.5.2).
  std::array<std::uint8_t, 16> bytes_{};
};

// A network in CIDR form (RFC 4632, RFC 4291 2.3); a single address is a network of its
// own.
class Network {
 public:
  // "192.0.2.0/24", "2001:db8::/32", "192.0.2.7". Nothing for any other text, and if bits
  // are set after the prefix.
  static std::optional<Network> parse(std::string_view text);

  bool contains(const Address& address) const;
  bool overlaps(const Network& other) const {
    return contains(other.address_) || other.contains(address_);
  }
  // The length of the prefix, of IPv4 as a mapped one, so that lengths can be compared.
  unsigned prefix() const { return prefix_; }
  std::string text() const;

  auto operator<=>(const Network&) const = default;

 private:
  Address address_;
  unsigned prefix_ = 0;
};

struct Endpoint {
  Address address;
  std::uint16_t port = 0;
  // IPv6 link-local addresses: the interface of the address (RFC 4007), else 0.
  std::uint32_t zone = 0;

  // "192.0.2.1:69", "[2001:db8::1]:69", "[fe80::1%eth0]:69", or any of them without a
  // port if one is given here. Nothing, too, for an interface that this machine does not
  // have.
  static std::optional<Endpoint> parse(std::string_view text,
                                       std::optional<std::uint16_t> default_port = {});
  std::string text() const;
  auto operator<=>(const Endpoint&) const = default;
};

}  // namespace vantro::base
