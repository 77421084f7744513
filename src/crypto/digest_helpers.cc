#include "crypto/digest_helpers.h"

#include <algorithm>

namespace vantro::crypto {

DigestHelpers::DigestHelpers(std::size_t threads) {
  for (std::size_t i = 0; i < threads; ++i) threads_.emplace_back([this] { help(); });
}

DigestHelpers::~DigestHelpers() {
  {
    const std::lock_guard lock(mutex_);
    stopped_ = true;
  }
  comes_.notify_all();
  for (auto& one : threads_) one.join();
}

void DigestHelpers::help() {
  std::unique_lock lock(mutex_);
  while (true) {
    comes_.wait(lock, [this] { return stopped_ || !waiting_.empty(); });
    if (stopped_) return;
    auto* task = waiting_.front();
    waiting_.pop_front();
    task->state = Task::State::kTaken;
    lock.unlock();
    (*task->work)();
    lock.lock();
    task->state = Task::State::kDone;
    done_.notify_all();
  }
}

void DigestHelpers::run_both(const std::function<void()>& here,
                             const std::function<void()>& elsewhere) {
  Task task{&elsewhere};
  {
    const std::lock_guard lock(mutex_);
    waiting_.push_back(&task);
  }
  comes_.notify_one();
  here();
  std::unique_lock lock(mutex_);
  if (task.state == Task::State::kWaiting) {
    // All helpers are busy with others' work.
    waiting_.erase(std::find(waiting_.begin(), waiting_.end(), &task));
    lock.unlock();
    elsewhere();
    return;
  }
  done_.wait(lock, [&] { return task.state == Task::State::kDone; });
}

}  // namespace vantro::crypto
