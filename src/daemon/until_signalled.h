// Runs until a signal ends it, and ends without cutting off transfers that are nearly
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

struct Signals {
  std::function<void()> ready;   // signals are taken from now on
  std::function<void()> reload;  // SIGHUP
  // Work when it is to end.
  std::function<std::chrono::seconds()> grace;
  // Refuses new transfers from now on.
  std::function<void(std::chrono::seconds grace)> drain;
  // Nothing is left to wait for.
  std::function<bool()> idle;
  // Called now and then while it waits, with the time that ends the wait.
  std::function<void(base::WallTime until)> waiting;
  std::function<void()> stopping;  // before the fronts end
};

// Runs the loop until SIGTERM or SIGINT has arrived and running transfers have ended, or
// the grace is over: devices still get answers meanwhile, if only when to come again. A
// second signal ends it at once. SIGHUP reloads; but if it comes because its terminal has
// closed, it ends.
void run_until_signalled(boost::asio::io_context& loop, const Signals& on,
                         const std::vector<FrontEntry>& fronts, Schedules& schedules,
                         const gate::Gate& gate, const base::Log& log);

}  // namespace vantro::daemon
