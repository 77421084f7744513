// Threads that compute digests while the caller writes the same bytes, so that one upload
// uses two processors if they are free. If all threads are busy, the caller does the work
// itself.
#pragma once

#include <cstddef>
#include <deque>
#include <functional>
#include <thread>
#include <vector>

#include "base/mutex.h"

namespace vantro::crypto {

// Thread-safe.
class DigestHelpers {
 public:
  explicit DigestHelpers(std::size_t threads);
  // Accepted work is finished first.
  ~DigestHelpers();
  DigestHelpers(const DigestHelpers&) = delete;
  DigestHelpers& operator=(const DigestHelpers&) = delete;

  // False, without an effect, if no helper is free. `work` must not throw.
  bool try_start(std::function<void()> work);

 private:
  void help();

  base::Mutex mutex_;
  base::Condition comes_;
  std::deque<std::function<void()>> waiting_ VANTRO_GUARDED_BY(mutex_);
  std::size_t free_ VANTRO_GUARDED_BY(mutex_) = 0;
  bool stopped_ VANTRO_GUARDED_BY(mutex_) = false;
  std::vector<std::thread> threads_;
};

}  // namespace vantro::crypto
