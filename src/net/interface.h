// A network interface of this machine, by its name: its state, and addresses that are
// added to it for a time.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/link_address.h"

namespace vantro::net {

struct InterfaceState {
  int index = 0;
  bool up = false;       // switched on
  bool carrier = false;  // a cable is plugged in, with something at its other end
  bool ethernet = false;
  base::LinkAddress link;
  // IPv4, with the length of the prefix.
  std::vector<std::pair<base::Address, unsigned>> addresses;

  bool has(const base::Address& address) const;
};

// Nothing: there is no such interface.
std::optional<InterfaceState> interface_state(const std::string& name);
// Ethernet ones, by name; without the loopback.
std::vector<std::string> interface_names();

// Adds an IPv4 address, which the kernel removes by itself when `hold` is over
// (rtnetlink(7), IFA_CACHEINFO), so that it does not outlive a program that dies. A
// second call for the same address extends it from now. Whole seconds. 0 or an errno:
// EPERM without CAP_NET_ADMIN.
int add_address(const std::string& interface, const base::Address& address,
                unsigned prefix, std::chrono::seconds hold);
// 0 or an errno: EADDRNOTAVAIL if it is not there.
int remove_address(const std::string& interface, const base::Address& address,
                   unsigned prefix);

// Whether this process may send below IP (CAP_NET_RAW), change addresses (CAP_NET_ADMIN),
// and listen on ports below 1024. Nothing is left open.
struct NetworkPowers {
  bool raw = false;
  bool admin = false;
  bool low_ports = false;
};
NetworkPowers network_powers();

}  // namespace vantro::net
