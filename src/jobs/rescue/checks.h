// What is looked at before a rescue session opens: all at once, each with what to do.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/address.h"
#include "jobs/readiness.h"
#include "jobs/rescue/profile.h"

namespace vantro::jobs::rescue {

// The wire, as this machine sees it.
struct WireFacts {
  std::string interface;
  bool exists = false, up = false, carrier = false, ethernet = false;
  std::vector<std::string> interfaces;                        // that there are
  std::vector<std::pair<base::Address, unsigned>> addresses;  // with their prefixes
  std::string elsewhere;   // the interface that has the server's address, if another
  bool may_raw = false;    // speak with devices that have no address
  bool may_admin = false;  // add an address
  // Address servers that answer there; nothing: it was not asked, or could not be.
  std::optional<std::vector<base::Address>> other_servers;
  std::string other_servers_unknown;  // why not
  std::string port_held;  // who on this machine has the address servers' port, or empty
  // Where the device will call: the service listens there already, or the session can
  // open it; else why not.
  bool listens = false;
  std::string cannot_listen;
};

// A file of the profile, and what was found for it.
struct FileFacts {
  std::string name;  // as the device asks
  std::string stands_for;
  std::uint64_t size = 0;
  std::string role;     // that is wanted, or empty
  std::string trouble;  // why there is nothing to give; empty: there is
  std::string advice;
  std::string other_name;  // on offer now, and differs by letter case only; or empty
};

struct OpenWishes {
  bool own_address = false;
  bool despite_other = false;
};

// In the order in which people would look. A stop among them: it is not opened.
std::vector<Check> checks(const Profile& profile, const WireFacts& wire,
                          const std::vector<FileFacts>& files, const OpenWishes& wishes);

}  // namespace vantro::jobs::rescue
