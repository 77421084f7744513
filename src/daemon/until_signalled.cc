#include "daemon/until_signalled.h"

#include <atomic>
#include <boost/asio/executor_work_guard.hpp>
#include <boost/asio/io_context.hpp>
#include <boost/asio/signal_set.hpp>
#include <csignal>

#include "net/work_pool.h"

namespace vantro::daemon {

void run_until_signalled(boost::asio::io_context& loop, base::Duration grace,
                         const std::vector<FrontEntry>& fronts, Schedules& schedules,
                         const gate::Gate& gate, const base::Log& log,
                         const std::function<void()>& ready) {
  std::atomic<std::size_t> to_drain = fronts.size();
  const auto drained = [&] {
    if (--to_drain == 0) loop.stop();
  };
  boost::asio::signal_set signals(loop, SIGTERM, SIGINT);
  signals.async_wait([&](const boost::system::error_code& error, int number) {
    if (error) return;
    log.info("stopping", {{"signal", number == SIGINT ? "SIGINT" : "SIGTERM"},
                          {"running", gate.transfers().running()}});
    schedules.stop();
    for (const auto& one : fronts) one.front->drain(grace, drained);
  });
  // Only now: whoever reads it may stop the server at once.
  ready();
  // It runs until it is stopped, also when nothing is left to wait for.
  const auto work = boost::asio::make_work_guard(loop);
  net::run_on(loop, log);
}

}  // namespace vantro::daemon
