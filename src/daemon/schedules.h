// Work that is done again and again: one mechanism for all of it.
#pragma once

#include <boost/asio/io_context.hpp>
#include <boost/asio/steady_timer.hpp>
#include <chrono>
#include <functional>
#include <list>

namespace vantro::daemon {

// Not thread-safe: for the thread that runs the loop.
class Schedules {
 public:
  // The loop must outlive it.
  explicit Schedules(boost::asio::io_context& loop) : loop_(loop) {}

  // Now, and then each time when `interval` has gone by since it was posted. It runs on
  // the pool, which must outlive this.
  void every(std::chrono::steady_clock::duration interval, boost::asio::io_context& pool,
             std::function<void()> work);
  // Nothing is posted any more.
  void stop();

 private:
  struct Entry {
    boost::asio::steady_timer timer;
    std::chrono::steady_clock::duration interval;
    boost::asio::io_context& pool;
    std::function<void()> work;
  };

  void post(Entry& entry);

  boost::asio::io_context& loop_;
  std::list<Entry> entries_;  // a list, as their timers refer to them
};

}  // namespace vantro::daemon
