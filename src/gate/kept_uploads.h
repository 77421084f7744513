// Backups that arrived whole while the database was away, and were acknowledged: they are
// on this node's disk (store::StateFolder::list_kept()) and are filed when it is back, in
// the order in which they were complete.
#pragma once

#include <cstddef>
#include <string>

#include "backup/backups.h"
#include "base/outcome.h"
#include "gate/transfers.h"
#include "store/state_folder.h"

namespace vantro::gate {

struct Workings;

// The description of one, for StateFolder::Kept.
std::string about_kept(const backup::Revision& revision, const TransferView& transfer);

// Files the kept uploads of this folder, which may be that of a node that is gone. Each
// is filed once, also if this was interrupted before. Returns how many; or the first
// failure, after the others were tried. kBusy: the database is away again.
base::Outcome<std::size_t> file_kept(Workings& workings,
                                     const store::StateFolder& folder);

}  // namespace vantro::gate
