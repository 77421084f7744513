// Reads one stored file to its end and compares it with the SHA-256 in its name.
#pragma once

#include <cstdint>
#include <functional>
#include <string>

#include "base/outcome.h"
#include "crypto/digests.h"

namespace vantro::repository {

struct Repository;

enum class Reading {
  kWhole,
  kLost,        // its bytes were read and differ, or it is missing
  kLocked,      // encrypted with an unknown key
  kUnreadable,  // not because of its bytes: no descriptors, a failing disk
  kReplaced,    // its bytes arrived again meanwhile, or it was known to be missing
  kStopped
};

struct Verified {
  Reading reading = Reading::kWhole;
  std::string sentence;       // kLost, kUnreadable: the reason
  crypto::Digests digests;    // kWhole: those that were computed
  base::Outcome<void> noted;  // whether the result could be recorded
};

// Gets the number of bytes of each piece; false stops the reading.
using GoOn = std::function<bool(std::uint64_t)>;

// Records the result, and moves a damaged file to quarantine/. `lost_before`: it is known
// to be damaged or missing. Reads from the disk as far as the kernel allows.
Verified verify_content(Repository& repository, const std::string& sha256,
                        std::uint64_t size, bool lost_before, const GoOn& go_on);
// Computes all four digests, from memory if the bytes are still there. A damaged file
// goes to quarantine/; nothing else is recorded.
Verified digest_content(Repository& repository, const std::string& sha256,
                        std::uint64_t size, const GoOn& go_on);

}  // namespace vantro::repository
