// The checks before a rescue session opens: all at once, each with what to do.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/address.h"
#include "jobs/readiness.h"
#include "jobs/rescue/profile.h"

namespace vantro::jobs::rescue {

// The network interface, as this machine sees it.
struct WireFacts {
  std::string interface;
  bool exists = false, up = false, carrier = false, ethernet = false;
  std::vector<std::string> interfaces;                        // the existing ones
  std::vector<std::pair<base::Address, unsigned>> addresses;  // with their prefixes
  std::string elsewhere;   // the interface that has the server's address, if another
  bool may_raw = false;    // may speak with devices without an address
  bool may_admin = false;  // may add an address
  // Address servers that answer there; nothing: not asked, or not possible.
  std::optional<std::vector<base::Address>> other_servers;
  std::string other_servers_unknown;  // why not
  std::string port_held;  // the local program on the address servers' port, or empty
  // Where the device will call: the service listens there already, or the session can
  // open it; else the reason.
  bool listens = false;
  std::string cannot_listen;
};

// A file of the profile, and its content.
struct FileFacts {
  std::string name;  // the name in the device's request
  std::string stands_for;
  std::uint64_t size = 0;
  std::string role;     // the wanted image, or empty
  std::string trouble;  // why there is nothing to give; empty: there is
  std::string advice;
  std::string other_name;  // an offer that differs in letter case only; or empty
};

struct OpenWishes {
  bool own_address = false;
  bool despite_other = false;
};

// In the order in which people would check. With a stop among them, the session is not
// opened.
std::vector<Check> checks(const Profile& profile, const WireFacts& wire,
                          const std::vector<FileFacts>& files, const OpenWishes& wishes);

}  // namespace vantro::jobs::rescue
