#include "desk/ways.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/percent.h"

namespace vantro::desk {

std::string pasted(const std::string& protocol, const std::string& user,
                   const base::Endpoint& server, const std::string& name) {
  const auto* known = base::find_protocol(protocol);
  auto host =
      server.address.is_v4() ? server.address.text() : "[" + server.address.text() + "]";
  if (server.port != known->usual_port) host += fmt::format(":{}", server.port);
  const auto who = user.empty() || !known->carries_accounts ? "" : user + "@";
  return fmt::format("{}://{}{}/{}", known->scheme, who, host,
                     base::percent_encoded(name, "~/"));
}

std::vector<base::Address> addresses_of(const Surroundings& surroundings,
                                        const base::Endpoint& where,
                                        const std::optional<base::Address>& device) {
  if (!where.address.is_unspecified()) return {where.address};
  const bool v4 = where.address.is_v4();
  std::vector<base::Address> result;
  if (device) {
    if (device->is_v4() != v4) return result;
    if (const auto own = surroundings.address_towards(*device)) result.push_back(*own);
    return result;
  }
  const auto own = surroundings.own_addresses();
  const bool only_loopback = std::all_of(
      own.begin(), own.end(), [](const auto& one) { return one.is_loopback(); });
  for (const auto& one : own) {
    // Only this machine reaches it there.
    if (one.is_v4() == v4 && (only_loopback || !one.is_loopback())) result.push_back(one);
  }
  return result;
}

base::Outcome<std::string> known_account(const repository::Repository& repository,
                                         const std::string& typed) {
  if (typed.empty()) return std::string();
  auto sound = auth::account_name(typed);
  if (!sound) return sound;
  if (*sound == auth::kAnonymous || !repository.snapshot()->accounts->find(*sound)) {
    return base::refuse(
        base::Kind::kNotFound,
        fmt::format("unknown account '{}'; 'vantro account list' shows all", *sound));
  }
  return sound;
}

std::string account_to_type(const std::string& protocol, const std::string& account) {
  const auto* known = base::find_protocol(protocol);
  if (known->carries_accounts && !account.empty()) return account;
  // FTP always asks for one (RFC 1635).
  return protocol == "ftp" || protocol == "ftps" ? "anonymous" : "";
}

std::string hindrance(const gate::Gate& gate, const std::string& name,
                      const gate::Asker& asker) {
  const auto open = gate.would_hand_out(asker, name);
  if (open) return "";
  return open.error().kind == base::Kind::kAccountNeeded
             ? "needs an account: give one with --account NAME"
             : open.error().sentence;
}

}  // namespace vantro::desk
