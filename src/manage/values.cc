#include "manage/values.h"

#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::manage {

using base::Kind;

base::Outcome<std::optional<base::WallTime>> time_of(const std::string& text) {
  if (text.empty()) return std::nullopt;
  const auto time = base::parse_iso_time(text);
  if (!time) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is not a time such as 2026-11-23T02:14:07.000Z",
                                    base::printable(text, 60)));
  }
  return time;
}

base::Outcome<std::optional<base::Address>> address_of(const std::string& text) {
  if (text.empty()) return std::nullopt;
  const auto address = base::Address::parse(text);
  if (!address) {
    return base::refuse(Kind::kInvalid, fmt::format("'{}' is not an IP address",
                                                    base::printable(text, 60)));
  }
  return address;
}

base::Outcome<std::optional<base::Network>> network_of(const std::string& text) {
  if (text.empty() || base::folded(text) == "all") return std::nullopt;
  const auto network = base::Network::parse(text);
  if (!network) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is not a network such as 192.0.2.0/24 (no bits set behind the "
                    "prefix), not an address, and not 'all'",
                    base::printable(text, 60)));
  }
  return network;
}

base::Outcome<catalog::Image> image_for(Service& service, const std::string& typed) {
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  return service.repository.catalog.find(*name);
}

}  // namespace vantro::manage
