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

struct Signals {
  std::function<void()> ready;   // signals are taken from now on
  std::function<void()> reload;  // SIGHUP
  // For what runs when it is to end.
  std::function<std::chrono::seconds()> grace;
  // Takes no new transfers from now on.
  std::function<void(std::chrono::seconds grace)> drain;
  // Nothing is waited for any more.
  std::function<bool()> idle;
  // Called now and then while something is waited for, with when that ends.
  std::function<void(base::WallTime until)> waiting;
  std::function<void()> stopping;  // before the fronts end
};

// Runs the loop until SIGTERM or SIGINT has come and what was going on has ended, or the
// grace is over: devices are still answered meanwhile, if only with when to come again. A
// second signal ends it at once. SIGHUP reloads; but if it comes because the terminal
// that it was started in has gone, it ends.
void run_until_signalled(boost::asio::io_context& loop, const Signals& on,
                         const std::vector<FrontEntry>& fronts, Schedules& schedules,
                         const gate::Gate& gate, const base::Log& log);

}  // namespace vantro::daemon
