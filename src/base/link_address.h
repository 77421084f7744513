// The link address of a network interface: the 48 bits of IEEE 802 (RFC 7042, 2).
#pragma once

#include <array>
#include <compare>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace vantro::base {

struct LinkAddress {
  std::array<std::uint8_t, 6> bytes{};

  // As labels and consoles show it: "02:00:5e:10:00:01", "02-00-5E-10-00-01",
  // "0200.5e10.0001", "02005e100001". Nothing for any other text.
  static std::optional<LinkAddress> parse(std::string_view text);
  static LinkAddress everybody() { return {{0xff, 0xff, 0xff, 0xff, 0xff, 0xff}}; }

  // To more than one interface (IEEE 802, the group bit).
  bool is_group() const { return (bytes[0] & 1) != 0; }
  bool is_zero() const { return bytes == std::array<std::uint8_t, 6>{}; }
  // "02:00:5e:10:00:01"
  std::string text() const;

  auto operator<=>(const LinkAddress&) const = default;
};

}  // namespace vantro::base
