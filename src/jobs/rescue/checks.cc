#include "jobs/rescue/checks.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/protocol.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "jobs/sheet.h"
#include "text/nearest.h"

namespace vantro::jobs::rescue {
namespace {

Check interface_check(const Profile& profile, const WireFacts& wire) {
  const auto& name = wire.interface;
  if (!wire.exists) {
    const auto near = text::nearest(name, wire.interfaces);
    return {"interface", Verdict::kStop,
            fmt::format("this machine has no interface '{}'", base::printable(name, 20)),
            near ? fmt::format("nearest: '{}'; there are {}", *near,
                               fmt::join(wire.interfaces, ", "))
                 : fmt::format("there are {}", fmt::join(wire.interfaces, ", "))};
  }
  // Only a device that asks for an address speaks below IP.
  if (!wire.ethernet && profile.way == Way::kAsks) {
    return {"interface", Verdict::kStop,
            fmt::format("{} is not an Ethernet interface", name),
            fmt::format("there are {}", fmt::join(wire.interfaces, ", "))};
  }
  if (!wire.up) {
    return {"interface", Verdict::kStop, fmt::format("{} is switched off", name),
            fmt::format("ip link set {} up", name)};
  }
  return {"interface", Verdict::kPass, fmt::format("{} is switched on", name), ""};
}

Check carrier_check(const Profile& profile, const WireFacts& wire) {
  if (wire.carrier) {
    return {"cable", Verdict::kPass, fmt::format("{} has a carrier", wire.interface), ""};
  }
  // A device that is switched off does not answer, and is switched on later.
  return {"cable", Verdict::kWarn,
          fmt::format("{} has no carrier: no cable, or the device is switched off",
                      wire.interface),
          profile.way == Way::kCalls
              ? "put a switch between this machine and the device, or the first seconds "
                "of its boot are lost while the link comes up"
              : "plug the cable in; many devices ask for a few seconds only, so put a "
                "switch between"};
}

Check address_check(const Profile& profile, const WireFacts& wire,
                    const OpenWishes& wishes) {
  const auto wanted = fmt::format("{}/{}", profile.server.text(), profile.prefix);
  const auto command = fmt::format("ip address add {} dev {}", wanted, wire.interface);
  for (const auto& [address, prefix] : wire.addresses) {
    if (address != profile.server) continue;
    if (prefix == profile.prefix) {
      return {"address", Verdict::kPass,
              fmt::format("{} is on {}", wanted, wire.interface), ""};
    }
    return {"address", Verdict::kWarn,
            fmt::format("{} is on {} with the prefix {}, and the profile has {}",
                        address.text(), wire.interface, prefix, profile.prefix),
            ""};
  }
  if (!wire.elsewhere.empty()) {
    return {"address", Verdict::kStop,
            fmt::format("{} is on {}, not on {}", profile.server.text(), wire.elsewhere,
                        wire.interface),
            fmt::format("ip address del {} dev {}", wanted, wire.elsewhere)};
  }
  if (!wishes.own_address) {
    return {"address", Verdict::kStop,
            fmt::format("{} is not on {}", wanted, wire.interface),
            fmt::format("{}; or --own-address lets vantrod add it for the time of the "
                        "session",
                        command)};
  }
  if (!wire.may_admin) {
    return {
        "address", Verdict::kStop,
        fmt::format("vantrod has no permission to add {} to {}", wanted, wire.interface),
        fmt::format("{}; or grant it cap_net_admin (packaging/vantrod-rescue.conf)",
                    command)};
  }
  return {
      "address", Verdict::kPass,
      fmt::format("{} is added to {}, and removed at the end", wanted, wire.interface),
      ""};
}

Check service_check(const Profile& profile, const WireFacts& wire) {
  const auto port =
      profile.port != 0 ? profile.port : base::find_protocol(profile.over)->usual_port;
  const auto where =
      fmt::format("{} at {}:{}", profile.over, profile.server.text(), port);
  if (wire.listens) {
    return {"service", Verdict::kPass, where + " is served already", ""};
  }
  if (wire.cannot_listen.empty()) {
    return {"service", Verdict::kPass, where + " is opened for the session", ""};
  }
  return {"service", Verdict::kStop, where + " can't be opened", wire.cannot_listen};
}

Check addresses_check(const WireFacts& wire, const OpenWishes& wishes) {
  if (!wire.may_raw) {
    return {
        "other address servers", Verdict::kStop,
        fmt::format(
            "vantrod has no permission to speak with devices without an address on {}",
            wire.interface),
        "'setcap cap_net_raw,cap_net_bind_service+ep' on the program, or "
        "packaging/vantrod-rescue.conf for the service"};
  }
  if (!wire.port_held.empty()) {
    return {"other address servers", Verdict::kStop,
            "an address server runs on this machine", wire.port_held};
  }
  if (!wire.other_servers) {
    return {"other address servers", Verdict::kUnknown,
            "not asked for: " + wire.other_servers_unknown, ""};
  }
  if (wire.other_servers->empty()) {
    return {"other address servers", Verdict::kPass,
            fmt::format("none answers on {}", wire.interface), ""};
  }
  std::vector<std::string> names;
  for (const auto& one : *wire.other_servers) names.push_back(one.text());
  return {"other address servers", wishes.despite_other ? Verdict::kWarn : Verdict::kStop,
          fmt::format("{} on {}", fmt::join(names, ", "), wire.interface),
          wishes.despite_other
              ? "both answer; the device uses the faster one"
              : "use a separate wire; or --despite-other opens the session anyway"};
}

Check file_check(const FileFacts& file) {
  const auto title = fmt::format("'{}'", base::printable(file.name, 80));
  if (!file.trouble.empty()) {
    return {title, Verdict::kStop, file.trouble, file.advice};
  }
  auto fact = fmt::format("{}, {}", file.stands_for, base::size_text(file.size));
  if (!file.role.empty()) fact += ", role " + file.role;
  const auto signs = look_alike_signs(file.name);
  if (!file.other_name.empty()) {
    return {title, Verdict::kWarn, fact,
            fmt::format("'{}' is on offer, too, and differs in letter case only",
                        file.other_name)};
  }
  return {title, Verdict::kPass, fact, signs};
}

}  // namespace

std::vector<Check> checks(const Profile& profile, const WireFacts& wire,
                          const std::vector<FileFacts>& files, const OpenWishes& wishes) {
  std::vector<Check> all;
  all.push_back(interface_check(profile, wire));
  const bool usable = all.back().verdict != Verdict::kStop;
  if (usable) all.push_back(carrier_check(profile, wire));
  if (wire.exists && (wire.ethernet || profile.way != Way::kAsks)) {
    all.push_back(address_check(profile, wire, wishes));
    if (profile.way != Way::kWaits) all.push_back(service_check(profile, wire));
    if (profile.way == Way::kAsks) all.push_back(addresses_check(wire, wishes));
  }
  for (const auto& one : files) all.push_back(file_check(one));
  return all;
}

}  // namespace vantro::jobs::rescue
