// What the management API answers from. Everything in it must outlive the server.
#pragma once

#include <string>
#include <vector>

#include "api/shapes.h"
#include "base/clock.h"
#include "gate/gate.h"
#include "upkeep/recovery.h"

namespace vantro::manage {

struct Service {
  gate::Gate& gate;
  const base::Clock& clock;
  std::string version;
  base::WallTime started_at = 0;
  std::vector<api::Listener> listeners;
  upkeep::RecoveryReport recovery;  // what the start found
};

}  // namespace vantro::manage
