// One I/O thread's loop: sockets that can be read, work from other threads, and one
// coarse tick for all deadlines. Over epoll itself: for thousands of small datagrams a
// second, the code between a socket and its handler is most of the cost.
#pragma once

#include <atomic>
#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/unique_fd.h"

namespace vantro::net {

class EventLoop : public std::enable_shared_from_this<EventLoop> {
 public:
  // Called when its socket can be read; again and again as long as it can.
  class Source {
   public:
    virtual ~Source() = default;
    virtual void readable() = 0;
    // Only where writing was wanted.
    virtual void writable() {}
    // The other end has gone or the socket has an error, whatever was wanted.
    virtual void broken() { readable(); }
  };
  using Id = std::uint64_t;
  struct Wanted {
    bool read = true;
    bool write = false;
    bool operator==(const Wanted&) const = default;
  };

  // `tick` is called every `interval` while keep_ticking() holds. Throws
  // std::system_error when the system has no descriptors left.
  explicit EventLoop(base::Duration interval);

  // Told when something that the loop called has thrown: that piece of work is lost, and
  // the loop goes on.
  void on_failure(std::function<void(const char* why)> failed) {
    failed_ = std::move(failed);
  }
  void on_tick(std::function<void()> tick) { tick_ = std::move(tick); }
  void keep_ticking(bool on) { ticking_ = on; }

  // Nothing if the system refuses. `source` must live until forget().
  std::optional<Id> watch(int fd, Source& source) { return watch(fd, source, {}); }
  std::optional<Id> watch(int fd, Source& source, Wanted wanted);
  // From now on it is called for these.
  void want(Id id, int fd, Wanted wanted);
  // Nothing is called for it any more, from this moment.
  void forget(Id id, int fd);

  // Once, then or a little later; for moments that a tick is too coarse for. On the
  // loop's thread. What the loop's end comes before is dropped.
  void later(base::Instant when, std::function<void()> work);

  // The two that other threads may call. Work that comes after the loop has ended is
  // dropped.
  void post(std::function<void()> work);
  void stop();
  // Runs it on the loop's thread and waits for it. False: the loop does not take it any
  // more, or not within some seconds; then it does not run at all. Not on that thread.
  bool run_and_wait(std::function<void()> work);
  // post(), for those who need not know of loops. REQUIRES: a shared_ptr holds the loop.
  std::function<void(std::function<void()>)> poster();

  // Until stop().
  void run();

 private:
  void wake();
  template <class F>
  void guarded(F work);
  void run_posted();
  void run_due(base::Instant now);
  int wait_milliseconds(base::Instant now) const;

  base::UniqueFd epoll_;
  base::UniqueFd event_;
  base::Duration interval_;
  std::function<void()> tick_;
  std::function<void(const char* why)> failed_;
  bool ticking_ = false;
  base::Instant next_tick_{};
  std::multimap<base::Instant, std::function<void()>> due_;
  // An Id is a slot's number and how often it was used, so that an event for a source
  // that has gone can't be taken for one of its successor in the slot.
  struct Slot {
    Source* source = nullptr;
    std::uint32_t use = 0;
  };
  std::vector<Slot> slots_;
  std::vector<std::uint32_t> free_slots_;
  base::Mutex mutex_;
  std::vector<std::function<void()>> posted_ VANTRO_GUARDED_BY(mutex_);
  bool ended_ VANTRO_GUARDED_BY(mutex_) = false;
  std::atomic<bool> stopped_ = false;
};

}  // namespace vantro::net
