// The ledger row of what somebody changed.
#pragma once

#include <string>

#include "base/clock.h"
#include "db/database.h"

namespace vantro::gate {

struct ChangeRecord {
  std::string event;  // "device-add"
  std::string who;
  std::string name;    // of what was changed
  std::string sha256;  // of its bytes, or empty
  std::string sentence;
};

// In the transaction of the change.
void record_change(db::Transaction& transaction, base::WallTime now, ChangeRecord change);

}  // namespace vantro::gate
