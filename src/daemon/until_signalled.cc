#include "daemon/until_signalled.h"

#include <atomic>
#include <boost/asio/executor_work_guard.hpp>
#include <boost/asio/post.hpp>
#include <boost/asio/signal_set.hpp>
#include <boost/asio/steady_timer.hpp>
#include <csignal>

#include "daemon/work_pool.h"

namespace vantro::daemon {

void run_until_signalled(boost::asio::io_context& loop, base::Duration grace,
                         const std::vector<FrontEntry>& fronts,
                         manage::Server& management, Schedules& schedules,
                         const gate::Gate& gate, const base::Log& log,
                         const std::function<void()>& ready) {
  auto stop_at = base::Instant::max();
  boost::asio::steady_timer timer(loop);
  // The management server's own uploads run on this loop, and no front waits for them.
  const std::function<void()> wait_for_intakes = [&] {
    if (gate.transfers().running() == 0 || gate.clock().now() >= stop_at) {
      loop.stop();
      return;
    }
    timer.expires_after(std::chrono::milliseconds(50));
    timer.async_wait([&](const auto&) { wait_for_intakes(); });
  };
  std::atomic<std::size_t> to_drain = fronts.size();
  const auto drained = [&] {
    if (--to_drain == 0) boost::asio::post(loop, wait_for_intakes);
  };
  boost::asio::signal_set signals(loop, SIGTERM, SIGINT);
  signals.async_wait([&](const boost::system::error_code& error, int number) {
    if (error) return;
    log.info("stopping", {{"signal", number == SIGINT ? "SIGINT" : "SIGTERM"},
                          {"running", gate.transfers().running()}});
    stop_at = gate.clock().now() + grace;
    schedules.stop();
    management.stop();
    for (const auto& one : fronts) one.front->drain(grace, drained);
  });
  // Only now: whoever reads it may stop the server at once.
  ready();
  // It runs until it is stopped, also when nothing is left to wait for.
  const auto work = boost::asio::make_work_guard(loop);
  run_on(loop, log);
}

}  // namespace vantro::daemon
