// Which process holds a port, for the refusal.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/address.h"

namespace vantro::daemon {

enum class Transport { kUdp, kTcp };

struct Holder {
  std::string program;
  int pid = 0;
  bool operator==(const Holder&) const = default;
};

// Reads /proc; else, the result of note_port_holders(). Nothing if the process is not
// visible from here (another user's, say).
std::optional<Holder> port_holder(Transport transport, const base::Endpoint& where);

// Looks now, and keeps the answers for port_holder(): a confined process can no longer
// see others.
void note_port_holders(
    const std::vector<std::pair<Transport, base::Endpoint>>& listeners);

// The one sentence for a listener that could not be opened: what holds the port or what
// is missing, and what to do. `flag` is the option that changes it.
std::string bind_sentence(const std::string& protocol, Transport transport,
                          const base::Endpoint& where, int error_number,
                          const std::string& flag);

// This machine's addresses that devices could use: IPv4 first, loopback last; without
// link-local IPv6 addresses.
std::vector<base::Address> own_addresses();

// The source address of packets to `device`; nothing if there is no route. Nothing is
// sent.
std::optional<base::Address> address_towards(const base::Address& device);

}  // namespace vantro::daemon
