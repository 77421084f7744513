// Single revisions that are put on offer under a name of their own, to one device, for a
// time.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "backup/revision.h"
#include "db/database.h"

namespace vantro::backup {

struct BackupOffer {
  std::int64_t id = 0;
  std::string name;
  Revision revision;
  Holder to;
  base::WallTime since = 0;
  base::WallTime until = 0;
};

// Stateless but for the database, which must outlive it. Thread-safe.
class BackupOffers {
 public:
  explicit BackupOffers(db::Database& database) : database_(database) {}

  // kExists: the name is on offer to that device already, from another revision.
  static base::Outcome<BackupOffer> add(db::Transaction& transaction, BackupOffer offer);
  // The number of those that ended.
  static std::size_t end(db::Transaction& transaction, const std::string& name,
                         base::WallTime now);
  // Standing at that time.
  base::Outcome<std::vector<BackupOffer>> standing(base::WallTime now) const;

 private:
  db::Database& database_;
};

}  // namespace vantro::backup
