#include "daemon/until_signalled.h"

#include <atomic>
#include <boost/asio/executor_work_guard.hpp>
#include <boost/asio/io_context.hpp>
#include <boost/asio/signal_set.hpp>
#include <csignal>
#include <unistd.h>

#include "net/work_pool.h"

namespace vantro::daemon {
namespace {

const char* name_of(int signal) {
  return signal == SIGINT ? "SIGINT" : signal == SIGHUP ? "SIGHUP" : "SIGTERM";
}

}  // namespace

void run_until_signalled(boost::asio::io_context& loop, const Signals& on,
                         const std::vector<FrontEntry>& fronts, Schedules& schedules,
                         const gate::Gate& gate, const base::Log& log) {
  std::atomic<std::size_t> to_drain = fronts.size();
  const auto drained = [&] {
    if (--to_drain == 0) loop.stop();
  };
  const bool had_terminal = ::isatty(STDIN_FILENO) != 0;
  boost::asio::signal_set signals(loop, SIGTERM, SIGINT, SIGHUP);
  std::function<void()> wait;
  bool stopping = false;
  const auto came = [&](const boost::system::error_code& error, int number) {
    if (error) return;
    // Who closes the window means it to end, and nobody could end it any more.
    const bool hung_up = had_terminal && ::isatty(STDIN_FILENO) == 0;
    if (number == SIGHUP && !hung_up) {
      on.reload();
      return wait();
    }
    if (stopping) {
      log.warning("stopping at once; what still runs breaks off",
                  {{"signal", name_of(number)}, {"running", gate.transfers().running()}});
      return loop.stop();
    }
    stopping = true;
    log.info("stopping",
             {{"signal", name_of(number)}, {"running", gate.transfers().running()}});
    schedules.stop();
    on.stopping();
    const auto grace = on.grace();
    for (const auto& one : fronts) one.front->drain(grace, drained);
    wait();
  };
  wait = [&] { signals.async_wait(came); };
  wait();
  // Only now: whoever reads it may stop the server at once.
  on.ready();
  // It runs until it is stopped, also when nothing is left to wait for.
  const auto work = boost::asio::make_work_guard(loop);
  net::run_on(loop, log);
}

}  // namespace vantro::daemon
