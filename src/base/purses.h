// Budgets that fill up again with time, one for each address: how much of something an
// address may use, at once and in the long run. Bounded in memory; not thread-safe.
#pragma once

#include <cstddef>
#include <map>

#include "base/address.h"
#include "base/clock.h"

namespace vantro::base {

// One budget.
class Purse {
 public:
  Purse(double most, Instant now) : left_(most), at_(now) {}
  // Takes so much, if so much is left.
  bool take(double amount, double most, double each_second, Instant now);
  bool full(double most, double each_second, Instant now);

 private:
  void fill(double most, double each_second, Instant now);

  double left_;
  Instant at_;
};

class Purses {
 public:
  static constexpr std::size_t kMostAddresses = 8192;

  // As Purse has it; the limits must not change much from call to call. False, too, if
  // more than kMostAddresses addresses have used theirs lately.
  bool take(const Address& address, double amount, double most, double each_second,
            Instant now);

 private:
  std::map<Address, Purse> purses_;
};

}  // namespace vantro::base
