// Work that arrivals leave behind, after the device was told that its file is safe: on a
// thread of its own, which looks each second whether there is some.
#pragma once

#include <atomic>
#include <functional>
#include <string>
#include <thread>

#include "base/log.h"
#include "base/mutex.h"

namespace vantro::upkeep {

class FollowUp {
 public:
  enum class Did { kSome, kNothing, kFailed };
  // Does a part of the waiting work. Asks stopping() often.
  using Work = std::function<Did()>;

  // `ended`: what the log says if an exception ends it.
  FollowUp(base::Log log, std::string ended, Work work)
      : log_(std::move(log)), ended_(std::move(ended)), work_(std::move(work)) {}
  ~FollowUp() { stop(); }
  FollowUp(const FollowUp&) = delete;
  FollowUp& operator=(const FollowUp&) = delete;

  // Once. It runs with a low priority: transfers come first.
  void start();
  // Returns when the running part has ended.
  void stop();
  bool stopping() const { return stopping_; }

 private:
  void run();

  base::Log log_;
  std::string ended_;
  Work work_;
  std::atomic<bool> stopping_ = false;
  base::Mutex mutex_;
  base::Condition wake_;
  std::thread thread_;
};

}  // namespace vantro::upkeep
