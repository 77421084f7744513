// Threads that take half of the work of digesting from uploads, so that one uses two
// processors where they are free. Where all are busy, who calls does the work itself.
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
  // Work that was taken is finished first.
  ~DigestHelpers();
  DigestHelpers(const DigestHelpers&) = delete;
  DigestHelpers& operator=(const DigestHelpers&) = delete;

  // False, and nothing is done, if no helper is free. `work` must not throw.
  bool try_start(std::function<void()> work);

 private:
  void help();

  std::mutex mutex_;
  std::condition_variable comes_;
  std::deque<std::function<void()>> waiting_;  // guarded by mutex_
  std::size_t free_ = 0;                       // guarded by mutex_
  bool stopped_ = false;                       // guarded by mutex_
  std::vector<std::thread> threads_;
};

}  // namespace vantro::crypto
