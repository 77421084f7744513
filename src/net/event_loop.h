// One I/O thread's loop: readable sockets, work from other threads, and one coarse tick
// for all deadlines. Over epoll itself: with thousands of small datagrams a second, the
// code between a socket and its handler is most of the cost.
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
  // Called when its socket is readable; again and again as long as it is.
  class Source {
   public:
    virtual ~Source() = default;
    virtual void readable() = 0;
    // Only if writing was wanted.
    virtual void writable() {}
    // The other end has closed or the socket has an error, whatever was wanted.
    virtual void broken() { readable(); }
  };
  using Id = std::uint64_t;
  struct Wanted {
    bool read = true;
    bool write = false;
    bool operator==(const Wanted&) const = default;
  };

  // `tick` is called every `interval` while keep_ticking() holds. Throws
  // std::system_error if the system has no descriptors left.
  explicit EventLoop(base::Duration interval);

  // Called when something that the loop called has thrown: that piece of work is lost,
  // and the loop continues.
  void on_failure(std::function<void(const char* why)> failed) {
    failed_ = std::move(failed);
  }
  void on_tick(std::function<void()> tick) { tick_ = std::move(tick); }
  void keep_ticking(bool on) { ticking_ = on; }

  // Nothing if the system refuses. `source` must live until forget().
  std::optional<Id> watch(int fd, Source& source) { return watch(fd, source, {}); }
  std::optional<Id> watch(int fd, Source& source, Wanted wanted);
  // From now on it is called for these events.
  void want(Id id, int fd, Wanted wanted);
  // From now on it is not called any more.
  void forget(Id id, int fd);

  // Once, then or a little later; for times too short for a tick. On the loop's thread.
  // Dropped if the loop ends before.
  void later(base::Instant when, std::function<void()> work);

  // The two calls for other threads. Work after the loop's end is dropped.
  void post(std::function<void()> work);
  void stop();
  // Runs it on the loop's thread and waits for it. False: the loop has ended, or did not
  // take it within some seconds; then it does not run at all. Not on that thread.
  bool run_and_wait(std::function<void()> work);
  // post(), for callers that know nothing of loops. REQUIRES: a shared_ptr holds the
  // loop.
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
  // that has gone does not reach its successor in the slot.
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
