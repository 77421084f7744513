// Repeated work: one mechanism for all of it.
#pragma once

#include <chrono>
#include <functional>
#include <list>

#include "net/work_pool.h"

namespace boost::asio {
class io_context;
}

namespace vantro::daemon {

// Not thread-safe: for the thread that runs the loop.
class Schedules {
 public:
  // The loop must outlive it.
  explicit Schedules(boost::asio::io_context& loop);
  ~Schedules();

  // Now, and then whenever `interval` has passed since it was posted. It runs on the
  // pool, which must outlive this.
  void every(std::chrono::steady_clock::duration interval, net::WorkPool& pool,
             std::function<void()> work);
  // Nothing more is posted.
  void stop();

 private:
  struct Entry;

  void post(Entry& entry);

  boost::asio::io_context& loop_;
  std::list<Entry> entries_;  // a list, as their timers refer to them
};

}  // namespace vantro::daemon
