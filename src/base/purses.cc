#include "base/purses.h"

#include <algorithm>
#include <chrono>

namespace vantro::base {

void Purse::fill(double most, double each_second, Instant now) {
  const std::chrono::duration<double> gone = now - at_;
  left_ = std::min(most, left_ + gone.count() * each_second);
  at_ = now;
}

bool Purse::take(double amount, double most, double each_second, Instant now) {
  fill(most, each_second, now);
  if (left_ < amount) return false;
  left_ -= amount;
  return true;
}

bool Purse::full(double most, double each_second, Instant now) {
  fill(most, each_second, now);
  return left_ >= most;
}

bool Purses::take(const Address& address, double amount, double most, double each_second,
                  Instant now) {
  if (purses_.size() >= kMostAddresses && !purses_.contains(address)) {
    // A full purse is the same as none.
    std::erase_if(purses_,
                  [&](auto one) { return one.second.full(most, each_second, now); });
    if (purses_.size() >= kMostAddresses) return false;
  }
  auto& own = purses_.try_emplace(address, Purse(most, now)).first->second;
  return own.take(amount, most, each_second, now);
}

}  // namespace vantro::base
