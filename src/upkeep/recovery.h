// Clearing up after a crash, before the server answers anybody; and a lost database.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/log.h"
#include "base/outcome.h"
#include "crypto/sealed_stream.h"
#include "gate/gate.h"
#include "repository/repository.h"

namespace vantro::upkeep {

struct RecoveryReport {
  std::size_t removed = 0;     // image uploads under way: the operator still has the file
  std::size_t set_aside = 0;   // backups under way, now partial revisions
  std::size_t unrecorded = 0;  // files without a record in partial/

  bool clean() const { return removed == 0 && set_aside == 0 && unrecorded == 0; }
};

// REQUIRES: nothing else of this program uses the repository yet, and Nodes::enter() has
// succeeded, if there are others. Logs its findings. Comparing the vault
// with the database comes after it (upkeep/vault_comparison.h).
base::Outcome<RecoveryReport> clear_up(repository::Repository& repository,
                                       base::WallTime now, const base::Log& log);

// Clears up behind a node that is gone: its interrupted uploads, its complete ones that
// waited for the database, and its rows of the ledger that waited in a file. False: its
// folder is in use, as it lives and has only lost the database, or as another node clears
// up.
base::Outcome<bool> take_over(repository::Repository& repository, gate::Gate& gate,
                              const repository::Nodes::Fallen& fallen, base::WallTime now,
                              const base::Log& log);

// Files that had no record, and that another node has recorded or removed since, are no
// longer listed.
base::Outcome<void> forget_recorded(repository::Repository& repository);

// Removes recorded files from partial/ that are older than `keep`. Returns how many.
base::Outcome<std::size_t> sweep_partial(repository::Repository& repository,
                                         base::WallTime now, std::chrono::hours keep,
                                         const base::Log& log);

// Moves a damaged database aside as vantro.db.damaged-<time>; one in another `place`
// (repository::Opening::database) must be empty. Then it records every file of the vault
// again, after reading it, as a held image named recovered-<first 12 of its
// SHA-256>; encrypted ones as a backup of that name under "recovered". Names, offers,
// revisions and the ledger of the old one are not restored. kExists: the database in that
// place has been used. kDenied: a file is encrypted
// with a key that is not among `keys`; nothing was changed then.
base::Outcome<void> rebuild_database(const std::string& state, const std::string& place,
                                     crypto::SealKeys keys, base::WallTime now,
                                     const base::Log& log);

}  // namespace vantro::upkeep
