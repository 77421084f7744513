#include "base/address.h"

#include <algorithm>
#include <arpa/inet.h>
#include <cstring>
#include <fmt/format.h>
#include <net/if.h>

#include "base/numbers.h"

namespace vantro::base {
namespace {

constexpr std::array<std::uint8_t, 12> kMapped{0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0xff, 0xff};

}  // namespace

std::optional<Address> Address::parse(std::string_view text) {
  const auto percent = text.find('%');
  if (percent != std::string_view::npos) {
    const auto address = parse(text.substr(0, percent));
    const auto zone = text.substr(percent + 1);
    const bool sound = !zone.empty() && zone.size() < IF_NAMESIZE &&
                       zone.find_first_of("%/ ") == std::string_view::npos;
    return address && address->is_link_local() && sound ? address : std::nullopt;
  }
  const std::string copy(text);
  in_addr four{};
  if (inet_pton(AF_INET, copy.c_str(), &four) == 1) return v4(ntohl(four.s_addr));
  in6_addr six{};
  if (inet_pton(AF_INET6, copy.c_str(), &six) != 1) return std::nullopt;
  Address address;
  std::copy(std::begin(six.s6_addr), std::end(six.s6_addr), address.bytes_.begin());
  return address;
}

Address Address::v4(std::uint32_t host_order) {
  Address address;
  std::copy(kMapped.begin(), kMapped.end(), address.bytes_.begin());
  for (int i = 0; i < 4; ++i) {
    address.bytes_[12 + i] = static_cast<std::uint8_t>(host_order >> (24 - 8 * i));
  }
  return address;
}

bool Address::is_v4() const {
  return std::equal(kMapped.begin(), kMapped.end(), bytes_.begin());
}

std::uint32_t Address::v4_host_order() const {
  std::uint32_t value = 0;
  for (int i = 12; i < 16; ++i) value = value << 8 | bytes_[i];
  return value;
}

bool Address::is_unspecified() const {
  if (is_v4()) return v4_host_order() == 0;
  return bytes_ == std::array<std::uint8_t, 16>{};
}

bool Address::is_loopback() const {
  if (is_v4()) return v4_host_order() >> 24 == 127;
  std::array<std::uint8_t, 16> one{};
  one[15] = 1;
  return bytes_ == one;
}

bool Address::is_multicast() const {
  return is_v4() ? v4_host_order() >> 28 == 14 : bytes_[0] == 0xff;
}

bool Address::is_link_local() const {
  return bytes_[0] == 0xfe && (bytes_[1] & 0xc0) == 0x80;
}

Address Address::network() const {
  Address result = *this;
  const auto kept = is_v4() ? 15 : 8;
  std::fill(result.bytes_.begin() + kept, result.bytes_.end(), std::uint8_t{0});
  return result;
}

Address Address::v6(const std::array<std::uint8_t, 16>& bytes) {
  Address address;
  address.bytes_ = bytes;
  return address;
}

std::string Address::text() const {
  std::array<char, INET6_ADDRSTRLEN> out{};
  if (is_v4()) {
    inet_ntop(AF_INET, bytes_.data() + 12, out.data(), out.size());
  } else {
    inet_ntop(AF_INET6, bytes_.data(), out.data(), out.size());
  }
  return out.data();
}

std::optional<Network> Network::parse(std::string_view text) {
  const auto slash = text.find('/');
  const auto address = Address::parse(text.substr(0, slash));
  if (!address) return std::nullopt;
  const unsigned most = address->is_v4() ? 32 : 128;
  auto prefix = most;
  if (slash != std::string_view::npos) {
    const auto given = parse_number<unsigned>(text.substr(slash + 1));
    if (!given || *given > most) return std::nullopt;
    prefix = *given;
  }
  Network network;
  network.address_ = *address;
  network.prefix_ = prefix + (128 - most);
  for (unsigned bit = network.prefix_; bit < 128; ++bit) {
    if (address->bytes()[bit / 8] & (0x80 >> bit % 8)) return std::nullopt;
  }
  return network;
}

bool Network::contains(const Address& address) const {
  for (unsigned bit = 0; bit < prefix_; ++bit) {
    const auto differing = address.bytes()[bit / 8] ^ address_.bytes()[bit / 8];
    if (differing & (0x80 >> bit % 8)) return false;
  }
  return true;
}

std::string Network::text() const {
  const bool v4 = address_.is_v4() && prefix_ >= 96;
  if (prefix_ == 128) return address_.text();
  return address_.text() + "/" + std::to_string(v4 ? prefix_ - 96 : prefix_);
}

std::optional<Endpoint> Endpoint::parse(std::string_view text,
                                        std::optional<std::uint16_t> default_port) {
  std::string_view host = text;
  std::optional<std::uint16_t> port = default_port;
  if (text.starts_with('[')) {
    const auto close = text.find(']');
    if (close == std::string_view::npos) return std::nullopt;
    host = text.substr(1, close - 1);
    const auto rest = text.substr(close + 1);
    if (!rest.empty()) {
      if (rest[0] != ':') return std::nullopt;
      port = parse_number<std::uint16_t>(rest.substr(1));
    }
  } else if (std::count(text.begin(), text.end(), ':') == 1) {
    const auto colon = text.find(':');
    host = text.substr(0, colon);
    port = parse_number<std::uint16_t>(text.substr(colon + 1));
  }
  const auto address = Address::parse(host);
  if (!address || !port) return std::nullopt;
  std::uint32_t zone = 0;
  if (const auto percent = host.find('%'); percent != std::string_view::npos) {
    const std::string name(host.substr(percent + 1));
    const auto number = parse_number<std::uint32_t>(name);
    zone = number ? *number : ::if_nametoindex(name.c_str());
    if (zone == 0) return std::nullopt;
  }
  return Endpoint{*address, *port, zone};
}

std::string Endpoint::text() const {
  if (address.is_v4()) return fmt::format("{}:{}", address.text(), port);
  std::string in_zone;
  if (zone != 0) {
    std::array<char, IF_NAMESIZE> name{};
    const bool known = ::if_indextoname(zone, name.data()) != nullptr;
    in_zone = known ? fmt::format("%{}", name.data()) : fmt::format("%{}", zone);
  }
  return fmt::format("[{}{}]:{}", address.text(), in_zone, port);
}

}  // namespace vantro::base
