#include "daemon/work_pool.h"

#include <chrono>
#include <exception>

namespace vantro::daemon {
namespace {

// Short of memory, say: a moment for what else runs to give some back.
constexpr std::chrono::milliseconds kPause{10};

}  // namespace

void run_on(boost::asio::io_context& context, const base::Log& log) {
  while (true) {
    try {
      context.run();
      return;
    } catch (const std::exception& error) {
      log.error("a piece of work was given up", {{"why", error.what()}});
      std::this_thread::sleep_for(kPause);
    }
  }
}

WorkPool::WorkPool(std::size_t threads, base::Log log)
    : log_(std::move(log)), guard_(get_executor()) {
  for (std::size_t i = 0; i < threads; ++i) {
    threads_.emplace_back([this] { run_on(*this, log_); });
  }
}

WorkPool::~WorkPool() {
  stop();
  join();
}

void WorkPool::join() {
  guard_.reset();
  for (auto& thread : threads_) thread.join();
  threads_.clear();
}

}  // namespace vantro::daemon
