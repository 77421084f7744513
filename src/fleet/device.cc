#include "fleet/device.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/numbers.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::fleet {
namespace {

using base::Kind;

constexpr std::size_t kLongestName = 64;
constexpr std::size_t kLongestText = 200;
constexpr std::size_t kMostNetworks = 64;

constexpr std::int64_t kHour = 3'600'000;
constexpr std::int64_t kDay = 24 * kHour;
constexpr std::int64_t kLongestEvery = 3650 * kDay;

bool is_letter_or_digit(char one) {
  return (one >= 'a' && one <= 'z') || (one >= 'A' && one <= 'Z') ||
         (one >= '0' && one <= '9');
}

// In any of the usual notations: 02:00:5e:10:00:01, 02-00-..., 0200.5e10.0001.
std::optional<std::string> link_address(std::string_view text) {
  std::string digits;
  for (const auto one : base::folded(std::string(text))) {
    if (one == ':' || one == '-' || one == '.') continue;
    if (std::string_view("0123456789abcdef").find(one) == std::string_view::npos) {
      return std::nullopt;
    }
    digits += one;
  }
  if (digits.size() != 12) return std::nullopt;
  std::string result;
  for (std::size_t i = 0; i < digits.size(); i += 2) {
    result += (i == 0 ? "" : ":") + digits.substr(i, 2);
  }
  return result;
}

base::Outcome<std::vector<base::Network>> parse_networks(std::string_view text) {
  std::vector<base::Network> networks;
  while (!text.empty()) {
    const auto end = text.find_first_of(" ,");
    const auto part = base::trimmed(text.substr(0, end));
    if (!part.empty()) {
      const auto network = base::Network::parse(part);
      if (!network) {
        return base::refuse(Kind::kInvalid,
                            fmt::format("'{}' is not an address or network such as "
                                        "192.0.2.7, 192.0.2.0/28 or 2001:db8::7",
                                        base::printable(std::string(part), 60)));
      }
      if (std::find(networks.begin(), networks.end(), *network) == networks.end()) {
        networks.push_back(*network);
      }
    }
    if (end == std::string_view::npos) break;
    text.remove_prefix(end + 1);
  }
  if (networks.size() > kMostNetworks) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("a device has at most {} addresses", kMostNetworks));
  }
  return networks;
}

std::string* text_field(Device& device, std::string_view field) {
  if (field == "maker") return &device.maker;
  if (field == "platform") return &device.platform;
  if (field == "hardware") return &device.hardware;
  if (field == "site") return &device.site;
  if (field == "remarks") return &device.remarks;
  return nullptr;
}

}  // namespace

base::Outcome<std::string> device_name(std::string_view typed) {
  const bool sound =
      !typed.empty() && typed.size() <= kLongestName && is_letter_or_digit(typed[0]) &&
      std::all_of(typed.begin(), typed.end(), [](char one) {
        return is_letter_or_digit(one) || one == '.' || one == '-' || one == '_';
      });
  if (!sound) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is not a name for a device; use at most {} letters, digits, "
                    "'.', '-' and '_', a letter or digit first",
                    base::printable(std::string(typed), 80), kLongestName));
  }
  if (base::Address::parse(typed)) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is an address; a device needs a name", typed));
  }
  return std::string(typed);
}

std::optional<std::int64_t> parse_every(std::string_view text) {
  if (text == "never") return 0;
  if (text == "hourly") return kHour;
  if (text == "daily") return kDay;
  if (text == "weekly") return 7 * kDay;
  if (text == "monthly") return 31 * kDay;
  if (text.size() < 2) return std::nullopt;
  const auto unit = text.back() == 'h' ? kHour : text.back() == 'd' ? kDay : 0;
  const auto count = base::parse_number<std::int64_t>(text.substr(0, text.size() - 1));
  if (unit == 0 || !count || *count < 1 || *count > kLongestEvery / unit) {
    return std::nullopt;
  }
  return *count * unit;
}

std::string every_text(std::int64_t every) {
  if (every == 0) return "never";
  for (const auto* word : {"hourly", "daily", "weekly", "monthly"}) {
    if (every == *parse_every(word)) return word;
  }
  if (every % kDay == 0) return fmt::format("{}d", every / kDay);
  return fmt::format("{}h", every / kHour);
}

const std::vector<std::string>& field_names() {
  static const std::vector<std::string> names{"addresses", "link_address", "maker",
                                              "platform",  "hardware",     "site",
                                              "remarks",   "backup_every", "quota"};
  return names;
}

base::Outcome<void> set_field(Device& device, std::string_view field,
                              std::string_view given) {
  const auto text = base::trimmed(given);
  const auto shown = base::printable(std::string(text), 60);
  if (auto* into = text_field(device, field)) {
    if (text.size() > kLongestText ||
        base::printable(std::string(text), kLongestText) != text) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("{} must be one line of at most {} bytes", field, kLongestText));
    }
    *into = text;
  } else if (field == "addresses") {
    auto networks = parse_networks(text);
    if (!networks) return base::refuse(networks.error());
    device.networks = std::move(*networks);
  } else if (field == "link_address") {
    const auto sound = text.empty() ? std::string() : link_address(text);
    if (!sound) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("'{}' is not a link address such as 02:00:5e:10:00:01", shown));
    }
    device.link_address = *sound;
  } else if (field == "backup_every") {
    device.backup_every = parse_every(text);
    if (!device.backup_every && !text.empty()) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is not an interval; example: "
                                      "daily, weekly, monthly, 12h, 3d, never",
                                      shown));
    }
  } else if (field == "quota") {
    device.quota = base::parse_size(text);
    if (!device.quota && !text.empty()) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is not a size such as 500 MiB", shown));
    }
  } else {
    return base::refuse(Kind::kInvalid,
                        fmt::format("a device has no '{}'; it has {}",
                                    base::printable(std::string(field), 40),
                                    fmt::join(field_names(), ", ")),
                        text::nearest(std::string(field), field_names()).value_or(""));
  }
  return {};
}

std::string field_text(const Device& device, std::string_view field) {
  if (field == "addresses") {
    std::string text;
    for (const auto& one : device.networks) {
      text += (text.empty() ? "" : " ") + one.text();
    }
    return text;
  }
  if (field == "link_address") return device.link_address;
  if (field == "backup_every") {
    return device.backup_every ? every_text(*device.backup_every) : "";
  }
  if (field == "quota") return device.quota ? base::size_text(*device.quota) : "";
  auto copy = device;
  const auto* text = text_field(copy, field);
  return text == nullptr ? "" : *text;
}

}  // namespace vantro::fleet
