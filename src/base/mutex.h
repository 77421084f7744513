// Locks that the compiler checks: a member says which mutex guards it, and clang's
// -Wthread-safety reports each use without the lock. Other compilers ignore it.
#pragma once

#include <chrono>
#include <condition_variable>
#include <mutex>

#if defined(__clang__)
#define VANTRO_THREAD_SAFETY(attribute) __attribute__((attribute))
#else
#define VANTRO_THREAD_SAFETY(attribute)
#endif
// On a member: only with this mutex locked.
#define VANTRO_GUARDED_BY(mutex) VANTRO_THREAD_SAFETY(guarded_by(mutex))
// On a function: its caller has locked it.
#define VANTRO_REQUIRES(mutex) VANTRO_THREAD_SAFETY(requires_capability(mutex))
// On a mutex: it is locked before that one, where both are.
#define VANTRO_ACQUIRED_BEFORE(mutex) VANTRO_THREAD_SAFETY(acquired_before(mutex))

namespace vantro::base {

class VANTRO_THREAD_SAFETY(capability("mutex")) Mutex {
  friend class Lock;
  std::mutex mutex_;
};

// Holds it until the end of the block, or unlock().
class VANTRO_THREAD_SAFETY(scoped_lockable) Lock {
 public:
  explicit Lock(Mutex& mutex) VANTRO_THREAD_SAFETY(acquire_capability(mutex))
      : lock_(mutex.mutex_) {}
  ~Lock() VANTRO_THREAD_SAFETY(release_capability()) {}
  Lock(const Lock&) = delete;
  Lock& operator=(const Lock&) = delete;

  void lock() VANTRO_THREAD_SAFETY(acquire_capability()) { lock_.lock(); }
  void unlock() VANTRO_THREAD_SAFETY(release_capability()) { lock_.unlock(); }

 private:
  friend class Condition;
  std::unique_lock<std::mutex> lock_;
};

// Waits with the lock released. It may return without a reason: check the condition again
// in a loop, where the compiler sees the lock.
class Condition {
 public:
  void wait(Lock& lock) { condition_.wait(lock.lock_); }
  // False: the time was over without a notification.
  template <class Clock, class Duration>
  bool wait_until(Lock& lock, std::chrono::time_point<Clock, Duration> until) {
    return condition_.wait_until(lock.lock_, until) == std::cv_status::no_timeout;
  }
  void notify_one() { condition_.notify_one(); }
  void notify_all() { condition_.notify_all(); }

 private:
  std::condition_variable condition_;
};

}  // namespace vantro::base
