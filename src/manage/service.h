// What the management API answers from. Everything in it must outlive the server.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"
#include "base/address.h"
#include "base/clock.h"
#include "gate/gate.h"
#include "upkeep/resealer.h"
#include "upkeep/verify.h"

namespace vantro::manage {

struct Service {
  gate::Gate& gate;
  upkeep::Verifier& verifier;
  std::uint64_t verify_rate = 0;  // bytes per second where none is asked for; 0: no limit
  const base::Clock& clock;
  std::string version;
  base::WallTime started_at = 0;
  std::vector<api::Listener> listeners;
  // What devices can use, for the texts that are pasted into them.
  struct DeviceListener {
    std::string protocol;
    base::Endpoint where;
  };
  std::vector<DeviceListener> devices = {};
  // This machine's addresses that devices could use; and the one that packets to such an
  // address would leave from, or nothing if there is no way. This room opens no socket
  // but its own, so they are given to it.
  std::function<std::vector<base::Address>()> own_addresses = {};
  std::function<std::optional<base::Address>(const base::Address&)> address_towards = {};
  // What SSH shows and has met; none: it is not served. Thread-safe.
  std::function<api::Ssh()> ssh = {};
  const upkeep::Resealer* resealer = nullptr;  // null: it does not run
};

}  // namespace vantro::manage
