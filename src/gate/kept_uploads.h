// Backups that arrived whole while the database was away, and were acknowledged: they are
// on this node's disk (store::StateFolder::list_kept()) and are filed when it is back, in
// the order in which they were complete.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <optional>
#include <string>

#include "backup/backups.h"
#include "base/outcome.h"
#include "gate/grants.h"
#include "gate/transfers.h"
#include "store/state_folder.h"

namespace vantro::gate {

struct Workings;

// A backup that arrived whole earlier, here or at a mirror, and is to be filed.
struct Received {
  base::WallTime arrived_at = 0;
  std::uint64_t size = 0;
  std::string sha256;
  std::string request;
  std::string address;
  std::string name;
  std::string protocol;
  std::string account;
  std::string heard_on;
  std::optional<std::uint64_t> announced;
  backup::Ending ending = backup::Ending::kConfirmed;
  std::int64_t duration_ms = 0;
  std::string note;    // for the ledger
  std::string mirror;  // that received it; empty: this server did
};

// Whether it has been filed: the program may have been killed before it could note that.
base::Outcome<bool> is_filed(Workings& workings, const Received& received);
// `bytes` passes them on from the first. `encrypted`: if there is a key.
base::Outcome<Filed> file_received(
    Workings& workings, const Received& received, bool encrypted,
    const std::function<base::Outcome<void>(const store::Arrival::Read&)>& bytes);

// The description of one, for StateFolder::Kept.
std::string about_kept(const backup::Revision& revision, const TransferView& transfer);

// Files the kept uploads of this folder, which may be that of a node that is gone. Each
// is filed once, also if this was interrupted before. Returns how many; or the first
// failure, after the others were tried. kBusy: the database is away again.
base::Outcome<std::size_t> file_kept(Workings& workings,
                                     const store::StateFolder& folder);

}  // namespace vantro::gate
