// A row of the ledger.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "base/clock.h"

namespace vantro::ledger {

struct Entry {
  std::int64_t id = 0;    // set by the ledger, in the order of writing
  base::WallTime at = 0;  // when it ended
  std::string event;   // "fetch", "deposit", "image-add", "server-start", "server-stop"
  std::string actor;   // a device's address, a person's name, or "server"
  std::string from;    // a person's address, or "this machine"
  std::string device;  // the owner of the address, by its name in the inventory, or empty
  std::string protocol;  // "tftp", "manage", or empty
  std::string heard_on;  // the listener and the network interface, or empty
  std::string account;   // the account, or empty
  std::string name;
  std::string sha256;       // of the bytes, if known
  std::uint64_t bytes = 0;  // transferred
  std::optional<std::uint64_t> total;
  std::int64_t duration_ms = 0;
  std::uint64_t resent = 0;  // packets
  std::string outcome;       // "complete", "failed", "abandoned", "refused", "done"
  std::string sentence;      // the reason, if there is something to say
  std::string request = {};  // base/request_id.h; empty: none, or from an earlier version
  std::string mirror = {};   // the mirror that it is from; empty: this server
  std::string chain = {};    // its hash (ledger/chain.h), once it is written
};

}  // namespace vantro::ledger
