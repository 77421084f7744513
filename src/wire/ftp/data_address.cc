#include "wire/ftp/data_address.h"

#include <array>
#include <fmt/format.h>

#include "base/numbers.h"

namespace vantro::wire::ftp {

std::optional<base::Endpoint> parse_port(std::string_view argument) {
  std::array<std::uint8_t, 6> numbers{};
  for (std::size_t i = 0; i < numbers.size(); ++i) {
    const auto end = argument.find(',');
    if ((end == std::string_view::npos) != (i + 1 == numbers.size())) return std::nullopt;
    const auto number = base::parse_number<std::uint8_t>(argument.substr(0, end));
    if (!number) return std::nullopt;
    numbers[i] = *number;
    argument.remove_prefix(end == std::string_view::npos ? argument.size() : end + 1);
  }
  const auto address = static_cast<std::uint32_t>(numbers[0]) << 24 |
                       static_cast<std::uint32_t>(numbers[1]) << 16 |
                       static_cast<std::uint32_t>(numbers[2]) << 8 | numbers[3];
  return base::Endpoint{base::Address::v4(address),
                        static_cast<std::uint16_t>(numbers[4] << 8 | numbers[5])};
}

std::optional<ExtendedPort> parse_extended_port(std::string_view argument) {
  if (argument.size() < 2) return std::nullopt;
  const char bar = argument.front();
  if (bar < 33 || bar > 126) return std::nullopt;
  std::array<std::string_view, 3> parts;
  argument.remove_prefix(1);
  for (auto& part : parts) {
    const auto end = argument.find(bar);
    if (end == std::string_view::npos) return std::nullopt;
    part = argument.substr(0, end);
    argument.remove_prefix(end + 1);
  }
  if (!argument.empty()) return std::nullopt;
  const auto kind = base::parse_number<std::uint32_t>(parts[0]);
  if (!kind) return std::nullopt;
  if (*kind != 1 && *kind != 2) return ExtendedPort{false, {}};
  const auto address = base::Address::parse(parts[1]);
  const auto port = base::parse_number<std::uint16_t>(parts[2]);
  if (!address || !port || *port == 0) return std::nullopt;
  if (address->is_v4() != (*kind == 1)) return std::nullopt;
  return ExtendedPort{true, {*address, *port}};
}

std::string passive_text(const base::Endpoint& where) {
  const auto address = where.address.v4_host_order();
  return fmt::format("{},{},{},{},{},{}", address >> 24, address >> 16 & 0xff,
                     address >> 8 & 0xff, address & 0xff, where.port >> 8,
                     where.port & 0xff);
}

std::string extended_passive_text(std::uint16_t port) {
  return fmt::format("|||{}|", port);
}

}  // namespace vantro::wire::ftp
