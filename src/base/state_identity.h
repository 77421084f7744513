// Proof that a database and a vault belong together: both keep it, and it grows with
// every transaction of the database.
#pragma once

#include <cstdint>
#include <string>

#include "base/clock.h"

namespace vantro::base {

struct StateIdentity {
  std::string id;           // random, made with the database; hexadecimal
  std::int64_t change = 0;  // how many transactions were committed
  WallTime at = 0;          // when the last one was
};

}  // namespace vantro::base
