// Threads that run what is posted to them. What a piece of work throws ends that piece,
// and is said in the log; the thread and the program go on.
#pragma once

#include <boost/asio/executor_work_guard.hpp>
#include <boost/asio/io_context.hpp>
#include <thread>
#include <vector>

#include "base/log.h"

namespace vantro::daemon {

// Runs the context until it is stopped or out of work, whatever its work throws.
void run_on(boost::asio::io_context& context, const base::Log& log);

class WorkPool : public boost::asio::io_context {
 public:
  WorkPool(std::size_t threads, base::Log log);
  // Drops what has not begun.
  ~WorkPool();
  WorkPool(const WorkPool&) = delete;
  WorkPool& operator=(const WorkPool&) = delete;

  // Returns when everything that was posted is done.
  void join();

 private:
  base::Log log_;
  boost::asio::executor_work_guard<boost::asio::io_context::executor_type> guard_;
  std::vector<std::thread> threads_;
};

}  // namespace vantro::daemon
