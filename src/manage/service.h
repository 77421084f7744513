// What the management API answers from. Everything in it must outlive the server.
#pragma once

#include <string>
#include <vector>

#include "api/shapes.h"
#include "base/clock.h"
#include "gate/gate.h"
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
};

}  // namespace vantro::manage
