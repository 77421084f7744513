// Threads that run posted work: what may wait for a disk, or takes long. If a piece of
// work throws, it ends, and the log says so; the thread and the program continue.
#pragma once

#include <functional>
#include <memory>

#include "base/log.h"

namespace boost::asio {
class io_context;
}

namespace vantro::net {

// Runs the context until it is stopped or out of work, whatever its work throws.
void run_on(boost::asio::io_context& context, const base::Log& log);

// Thread-safe, as InOrder is.
class WorkPool {
 public:
  WorkPool(std::size_t threads, base::Log log);
  // As after stop().
  ~WorkPool();
  WorkPool(const WorkPool&) = delete;
  WorkPool& operator=(const WorkPool&) = delete;

  void post(std::function<void()> work);

  struct Load {
    std::size_t threads = 0;
    std::size_t running = 0;  // pieces of work
    std::size_t waiting = 0;
  };
  Load load() const;
  // Returns when everything that was posted is done.
  void join();
  // Work that has not begun is dropped; it does not wait for running work.
  void stop();

 private:
  friend class InOrder;
  struct Threads;
  std::unique_ptr<Threads> threads_;
};

// Work for a pool that runs piece after piece, in the order in which it was posted. The
// pool must outlive it; posted work runs even after its destruction.
class InOrder {
 public:
  explicit InOrder(WorkPool& pool);
  ~InOrder();
  InOrder(const InOrder&) = delete;
  InOrder& operator=(const InOrder&) = delete;

  void post(std::function<void()> work);

 private:
  struct Strand;
  std::unique_ptr<Strand> strand_;
};

}  // namespace vantro::net
