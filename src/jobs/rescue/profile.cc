#include "jobs/rescue/profile.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <set>

#include "base/numbers.h"
#include "base/protocol.h"
#include "base/visible_name.h"

namespace vantro::jobs::rescue {
namespace {

using base::Kind;

// "90s", "4m", "1h"
std::optional<base::Duration> parse_time(std::string_view text) {
  if (text.size() < 2) return std::nullopt;
  const auto number = base::parse_number<std::int64_t>(text.substr(0, text.size() - 1));
  if (!number || *number < 0 || *number > 1'000'000) return std::nullopt;
  switch (text.back()) {
    case 's':
      return std::chrono::seconds(*number);
    case 'm':
      return std::chrono::minutes(*number);
    case 'h':
      return std::chrono::hours(*number);
    default:
      return std::nullopt;
  }
}

std::uint32_t mask_of(unsigned prefix) {
  return prefix == 0 ? 0 : ~std::uint32_t{0} << (32 - prefix);
}

}  // namespace

const char* word(Way way) {
  switch (way) {
    case Way::kAsks:
      return "asks";
    case Way::kCalls:
      return "calls";
    case Way::kWaits:
      return "waits";
  }
  return "";
}

std::optional<Way> parse_way(std::string_view text) {
  for (const auto way : {Way::kAsks, Way::kCalls, Way::kWaits}) {
    if (text == word(way)) return way;
  }
  return std::nullopt;
}

const char* word(Gives gives) {
  switch (gives) {
    case Gives::kImage:
      return "image";
    case Gives::kBackup:
      return "backup";
    case Gives::kText:
      return "text";
  }
  return "";
}

std::optional<Gives> parse_gives(std::string_view text) {
  for (const auto gives : {Gives::kImage, Gives::kBackup, Gives::kText}) {
    if (text == word(gives)) return gives;
  }
  return std::nullopt;
}

std::optional<Span> parse_span(std::string_view text) {
  const auto between = text.find(" to ");
  if (between == std::string_view::npos) {
    const auto one = parse_time(base::trimmed(text));
    if (!one) return std::nullopt;
    return Span{*one, *one};
  }
  const auto least = parse_time(base::trimmed(text.substr(0, between)));
  const auto most = parse_time(base::trimmed(text.substr(between + 4)));
  if (!least || !most || *most < *least) return std::nullopt;
  return Span{*least, *most};
}

std::string text(const Span& span) {
  const auto in_minutes = span.least >= std::chrono::minutes(1);
  const auto unit = in_minutes ? 60.0 : 1.0;
  const auto number = [&](base::Duration time) {
    return std::lround(std::chrono::duration<double>(time).count() / unit);
  };
  const char* name = in_minutes ? "min" : "s";
  if (span.least == span.most) return fmt::format("{} {}", number(span.least), name);
  return fmt::format("{} to {} {}", number(span.least), number(span.most), name);
}

base::Network network_of(const base::Address& address, unsigned prefix) {
  const auto first = base::Address::v4(address.v4_host_order() & mask_of(prefix));
  return *base::Network::parse(fmt::format("{}/{}", first.text(), prefix));
}

base::Network Profile::network() const { return network_of(server, prefix); }

std::vector<base::Address> Profile::devices() const {
  std::vector<base::Address> all;
  if (first_device.is_unspecified()) return all;
  for (auto one = first_device.v4_host_order(); one <= last_device.v4_host_order();
       ++one) {
    all.push_back(base::Address::v4(one));
  }
  return all;
}

std::optional<std::uint16_t> parse_back_check(std::string_view text) {
  if (text == "ping") return 0;
  if (!text.starts_with("tcp ")) return std::nullopt;
  const auto port = base::parse_number<std::uint16_t>(text.substr(4));
  if (!port || *port == 0) return std::nullopt;
  return port;
}

base::Outcome<void> check_profile(const Profile& profile) {
  const auto wrong = [](std::string sentence) {
    return base::refuse(Kind::kInvalid, std::move(sentence));
  };
  if (profile.name.empty()) return wrong("a rescue profile needs a name (profile)");
  if (!profile.server.is_v4() || profile.server.is_unspecified()) {
    return wrong(
        "a rescue profile needs the server's address (server = \"192.0.2.1/24\")");
  }
  if (profile.prefix < 8 || profile.prefix > 30) {
    return wrong(
        fmt::format("server: a prefix of {} is not between 8 and 30", profile.prefix));
  }
  const auto network = profile.network();
  const auto lowest = profile.first_device.v4_host_order();
  const auto highest = profile.last_device.v4_host_order();
  if (!profile.first_device.is_unspecified()) {
    if (!network.contains(profile.first_device) ||
        !network.contains(profile.last_device)) {
      return wrong(
          fmt::format("device: it is not in the server's network {}", network.text()));
    }
    if (highest < lowest) return wrong("device: the last address is before the first");
    if (highest - lowest >= kMostDevices) {
      return wrong(fmt::format("device: more than {} addresses", kMostDevices));
    }
    const auto server = profile.server.v4_host_order();
    if (lowest <= server && server <= highest) {
      return wrong("device: the server's own address is among the device's");
    }
    const auto own_bits = ~mask_of(profile.prefix);
    if ((lowest & own_bits) == 0 || (highest & own_bits) == own_bits) {
      return wrong(
          "device: the first and the last address of a network are not a host's");
    }
  }
  if (profile.way != Way::kCalls && profile.first_device.is_unspecified()) {
    return wrong("a device that asks or waits needs an address (device)");
  }
  const auto* protocol = base::find_protocol(profile.over);
  if (protocol == nullptr) {
    return wrong(
        fmt::format("over: '{}' is not a protocol", base::printable(profile.over, 20)));
  }
  if (protocol->needs_account && profile.way != Way::kWaits) {
    return wrong(fmt::format("over: a device without a system has no account for {}",
                             profile.over));
  }
  if (profile.files.empty()) {
    return wrong("a rescue profile needs a file ([[rescue.file]])");
  }
  if (profile.way == Way::kWaits && profile.files.size() != 1) {
    return wrong("a device that waits is sent one file");
  }
  std::set<std::string> names;
  for (const auto& file : profile.files) {
    const auto name = base::visible_name(file.name);
    if (!name) return wrong("file: name: " + name.error().sentence);
    if (!names.insert(base::folded(*name)).second) {
      return wrong(fmt::format("duplicate file '{}'", base::printable(*name, 80)));
    }
    if (profile.way == Way::kWaits && file.gives != Gives::kImage) {
      return wrong("file: a device that waits is sent an image");
    }
  }
  if (!profile.check.empty() && !parse_back_check(profile.check)) {
    return wrong(fmt::format("check: '{}' is neither \"ping\" nor \"tcp PORT\"",
                             base::printable(profile.check, 20)));
  }
  return {};
}

}  // namespace vantro::jobs::rescue
