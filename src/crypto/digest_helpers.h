// Threads that take half of the work of digesting a large piece, so that an upload uses
// two processors where they are free, and is never slower than with one where they are
// not.
#pragma once

#include <condition_variable>
#include <cstddef>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>
#include <vector>

namespace vantro::crypto {

// Thread-safe.
class DigestHelpers {
 public:
  explicit DigestHelpers(std::size_t threads);
  ~DigestHelpers();
  DigestHelpers(const DigestHelpers&) = delete;
  DigestHelpers& operator=(const DigestHelpers&) = delete;

  // Runs both and returns when both are done: `elsewhere` on a helper, or here as well if
  // none has begun with it by the time `here` is done. Neither may throw.
  void run_both(const std::function<void()>& here, const std::function<void()>& elsewhere);

 private:
  struct Task {
    const std::function<void()>* work;
    enum class State { kWaiting, kTaken, kDone } state = State::kWaiting;
  };

  void help();

  std::mutex mutex_;
  std::condition_variable comes_;
  std::condition_variable done_;
  std::deque<Task*> waiting_;  // guarded by mutex_, as what they point to
  bool stopped_ = false;       // guarded by mutex_
  std::vector<std::thread> threads_;
};

}  // namespace vantro::crypto
