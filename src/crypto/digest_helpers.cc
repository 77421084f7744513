#include "crypto/digest_helpers.h"

namespace vantro::crypto {

DigestHelpers::DigestHelpers(std::size_t threads) : free_(threads) {
  for (std::size_t i = 0; i < threads; ++i) threads_.emplace_back([this] { help(); });
}

DigestHelpers::~DigestHelpers() {
  {
    const base::Lock lock(mutex_);
    stopped_ = true;
  }
  comes_.notify_all();
  for (auto& one : threads_) one.join();
}

bool DigestHelpers::try_start(std::function<void()> work) {
  {
    const base::Lock lock(mutex_);
    if (free_ == 0 || stopped_) return false;
    --free_;
    waiting_.push_back(std::move(work));
  }
  comes_.notify_one();
  return true;
}

void DigestHelpers::help() {
  base::Lock lock(mutex_);
  while (true) {
    while (!stopped_ && waiting_.empty()) comes_.wait(lock);
    if (waiting_.empty()) return;
    const auto work = std::move(waiting_.front());
    waiting_.pop_front();
    lock.unlock();
    work();
    lock.lock();
    ++free_;
  }
}

}  // namespace vantro::crypto
