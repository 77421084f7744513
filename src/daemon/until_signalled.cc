#include "daemon/until_signalled.h"

#include <atomic>
#include <boost/asio/executor_work_guard.hpp>
#include <boost/asio/io_context.hpp>
#include <boost/asio/signal_set.hpp>
#include <boost/asio/steady_timer.hpp>
#include <csignal>
#include <unistd.h>

#include "net/work_pool.h"

namespace vantro::daemon {
namespace {

constexpr std::chrono::milliseconds kLooksEvery{100};
constexpr std::chrono::seconds kTellsEvery{15};
// For the last things that a client waits for: a reply, or its last block again.
constexpr std::chrono::seconds kGoodbye{3};

const char* name_of(int signal) {
  return signal == SIGINT ? "SIGINT" : signal == SIGHUP ? "SIGHUP" : "SIGTERM";
}

class Run {
 public:
  Run(boost::asio::io_context& loop, const Signals& on,
      const std::vector<FrontEntry>& fronts, Schedules& schedules, const gate::Gate& gate,
      const base::Log& log)
      : loop_(loop),
        on_(on),
        fronts_(fronts),
        schedules_(schedules),
        gate_(gate),
        log_(log),
        signals_(loop, SIGTERM, SIGINT, SIGHUP),
        timer_(loop),
        to_drain_(fronts.size()) {}

  void operator()() {
    wait();
    // Only now: whoever reads it may stop the server at once.
    on_.ready();
    // It runs until it is stopped, also when nothing is left to wait for.
    const auto work = boost::asio::make_work_guard(loop_);
    net::run_on(loop_, log_);
  }

 private:
  void wait() {
    signals_.async_wait([this](const auto& error, int number) {
      if (!error) came(number);
    });
  }

  void came(int number) {
    // Who closes the window wants it to end, and nobody could end it any more.
    const bool hung_up = had_terminal_ && ::isatty(STDIN_FILENO) == 0;
    if (number == SIGHUP && !hung_up) {
      on_.reload();
      return wait();
    }
    if (stopping_) {
      log_.warning(
          "stopping at once; running transfers are interrupted",
          {{"signal", name_of(number)}, {"running", gate_.transfers().running()}});
      return loop_.stop();
    }
    stopping_ = true;
    const auto grace = on_.grace();
    log_.info("stopping", {{"signal", name_of(number)},
                           {"running", gate_.transfers().running()},
                           {"grace s", grace.count()}});
    until_ = std::chrono::steady_clock::now() + grace;
    wall_until_ = base::SystemClock{}.wall() + 1000 * grace.count();
    on_.drain(grace);
    wait();
    look();
  }

  void look() {
    const auto now = std::chrono::steady_clock::now();
    if (now >= until_) return end_fronts(std::chrono::seconds(0));
    if (on_.idle()) return end_fronts(kGoodbye);
    if (now >= tell_again_) {
      on_.waiting(wall_until_);
      tell_again_ = now + kTellsEvery;
    }
    timer_.expires_after(kLooksEvery);
    timer_.async_wait([this](const auto& error) {
      if (!error) look();
    });
  }

  void end_fronts(base::Duration grace) {
    schedules_.stop();
    on_.stopping();
    for (const auto& one : fronts_) {
      one.front->drain(grace, [this] {
        if (--to_drain_ == 0) loop_.stop();
      });
    }
  }

  boost::asio::io_context& loop_;
  const Signals& on_;
  const std::vector<FrontEntry>& fronts_;
  Schedules& schedules_;
  const gate::Gate& gate_;
  const base::Log& log_;
  boost::asio::signal_set signals_;
  boost::asio::steady_timer timer_;
  std::atomic<std::size_t> to_drain_;
  const bool had_terminal_ = ::isatty(STDIN_FILENO) != 0;
  bool stopping_ = false;
  std::chrono::steady_clock::time_point until_{}, tell_again_{};
  base::WallTime wall_until_ = 0;
};

}  // namespace

void run_until_signalled(boost::asio::io_context& loop, const Signals& on,
                         const std::vector<FrontEntry>& fronts, Schedules& schedules,
                         const gate::Gate& gate, const base::Log& log) {
  Run(loop, on, fronts, schedules, gate, log)();
}

}  // namespace vantro::daemon
