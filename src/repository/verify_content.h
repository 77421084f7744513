// One stored file, read to its end and compared with the SHA-256 that it is named by.
#pragma once

#include <cstdint>
#include <functional>
#include <string>

#include "base/outcome.h"

namespace vantro::repository {

struct Repository;

enum class Reading {
  kWhole,
  kLost,        // its bytes were read and differ, or it is gone
  kLocked,      // encrypted with a key that is not here
  kUnreadable,  // for another reason than its bytes: no descriptors, a failing disk
  kReplaced,    // its bytes came again meanwhile, or it was known to be gone
  kStopped
};

struct Verified {
  Reading reading = Reading::kWhole;
  std::string sentence;       // kLost, kUnreadable: what is wrong
  base::Outcome<void> noted;  // whether the result could be put on record
};

// Puts the result on record, and what is damaged into quarantine/. `lost_before`: it is
// known to be damaged or gone. `go_on` is told the bytes of each piece that was read, and
// stops the reading with false. Reads from the disk as far as the kernel allows.
Verified verify_content(Repository& repository, const std::string& sha256,
                        std::uint64_t size, bool lost_before,
                        const std::function<bool(std::uint64_t)>& go_on);

}  // namespace vantro::repository
