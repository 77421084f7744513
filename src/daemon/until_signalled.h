// Running until somebody ends it, and ending without cutting anybody off who is nearly
// done.
#pragma once

#include <functional>
#include <vector>

#include "base/clock.h"
#include "base/log.h"
#include "daemon/fronts.h"
#include "daemon/schedules.h"
#include "gate/gate.h"

namespace boost::asio {
class io_context;
}

namespace vantro::daemon {

// Runs the loop until SIGTERM or SIGINT has come and what was going on has ended, or
// `grace` is over. `ready` is called when signals are taken.
void run_until_signalled(boost::asio::io_context& loop, base::Duration grace,
                         const std::vector<FrontEntry>& fronts, Schedules& schedules,
                         const gate::Gate& gate, const base::Log& log,
                         const std::function<void()>& ready);

}  // namespace vantro::daemon
