// What the server does by itself, on schedules.
#pragma once

#include "base/clock.h"
#include "daemon/pools.h"
#include "daemon/reload.h"
#include "daemon/schedules.h"
#include "gate/gate.h"
#include "repository/repository.h"
#include "upkeep/verify.h"

namespace vantro::daemon {

// All of them must outlive the schedules, and the pools' work.
void schedule_housekeeping(Schedules& schedules, Pools& pools, const LiveSettings& live,
                           repository::Repository& repository, gate::Gate& gate,
                           upkeep::Verifier& verifier);

}  // namespace vantro::daemon
