// Restores a state folder from a snapshot, with every byte compared with the snapshot's
// list.
#pragma once

#include <cstdint>
#include <functional>
#include <string>

#include "base/outcome.h"

namespace vantro::upkeep {

struct Restored {
  std::uint64_t files = 0;
  std::uint64_t bytes = 0;
};

// `snapshot`: a folder, or an archive (.tar). `state`: a folder that is empty or does not
// exist. `told` gets the number of bytes done, now and then. If it is killed or refused,
// the folder has no vantro.db, so that no server starts on a part of it. kExists: the
// folder is not empty. kMismatch: a file differs from the list. kCorrupt: the snapshot is
// incomplete.
base::Outcome<Restored> restore(const std::string& snapshot, const std::string& state,
                                const std::function<void(const Restored&)>& told);

}  // namespace vantro::upkeep
