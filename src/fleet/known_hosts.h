// The SSH host keys of devices that received a push, by their fingerprints.
#pragma once

#include <string>

#include "base/clock.h"
#include "db/database.h"

namespace vantro::fleet {

// `where`: address and port. In the caller's transaction.
class KnownHosts {
 public:
  // "SHA256:..."; empty: none is remembered.
  static std::string find(db::Transaction& transaction, const std::string& where);
  static void set(db::Transaction& transaction, const std::string& where,
                  const std::string& fingerprint, base::WallTime now);
};

}  // namespace vantro::fleet
