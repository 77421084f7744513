// From a snapshot back to a state folder, every byte compared with the snapshot's list.
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

// `snapshot`: a folder, or an archive (.tar). `state`: a folder that is empty or not
// there. `told` hears how many bytes are done, now and then. Killed, or refused, the
// folder has no vantro.db, so that no server starts on a part of it. kExists: the folder
// is not empty. kMismatch: a file differs from the list. kCorrupt: it is not a whole
// snapshot.
base::Outcome<Restored> restore(const std::string& snapshot, const std::string& state,
                                const std::function<void(const Restored&)>& told);

}  // namespace vantro::upkeep
