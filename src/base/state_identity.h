// What says that a database and a vault of files belong together: both keep it, and it
// grows with every transaction of the database.
#pragma once

#include <cstdint>
#include <string>

#include "base/clock.h"

namespace vantro::base {

struct StateIdentity {
  std::string id;           // made at random with the database, hexadecimal
  std::int64_t change = 0;  // so many transactions were committed
  WallTime at = 0;          // when the last one was
};

}  // namespace vantro::base
