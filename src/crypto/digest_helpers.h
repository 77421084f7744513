// Threads that take half of the work of digesting from uploads, so that one uses two
// processors where they are free. Where all are busy, who calls does the work itself.
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
  // Work that was taken is finished first.
  ~DigestHelpers();
  DigestHelpers(const DigestHelpers&) = delete;
  DigestHelpers& operator=(const DigestHelpers&) = delete;

  // False, and nothing is done, if no helper is free. `work` must not throw.
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
