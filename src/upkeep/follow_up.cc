#include "upkeep/follow_up.h"

#include <chrono>
#include <exception>
#include <sys/resource.h>

namespace vantro::upkeep {
namespace {

constexpr std::chrono::seconds kPause{1};
constexpr std::chrono::seconds kPauseAfterFailure{60};
constexpr int kNice = 10;

}  // namespace

void FollowUp::start() {
  thread_ = std::thread([this] {
    // On Linux of this thread alone. It may fail: then it is only less polite.
    ::setpriority(PRIO_PROCESS, 0, ::getpriority(PRIO_PROCESS, 0) + kNice);
    try {
      run();
    } catch (const std::exception& error) {
      log_.error(ended_, {{"why", error.what()}});
    }
  });
}

void FollowUp::stop() {
  stopping_ = true;
  {
    const base::Lock lock(mutex_);
    wake_.notify_all();
  }
  if (thread_.joinable()) thread_.join();
}

void FollowUp::run() {
  while (!stopping_) {
    const auto did = work_();
    if (did == Did::kSome) continue;
    const auto pause = did == Did::kFailed ? kPauseAfterFailure : kPause;
    base::Lock lock(mutex_);
    if (!stopping_) wake_.wait_until(lock, std::chrono::steady_clock::now() + pause);
  }
}

}  // namespace vantro::upkeep
