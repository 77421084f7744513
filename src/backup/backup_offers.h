// Single revisions on offer under a name of their own, to one device, for a time.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "backup/revision.h"
#include "base/shared_map.h"
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

// In the change log, with the offer's number.
inline constexpr const char* kBackupOfferChanged = "backup-offer";
// With a device's number: its name, or what belongs to it (fleet/devices.h notes the
// same).
inline constexpr const char* kHolderChanged = "device";

// The open ones, by device or address, without the database. Immutable: a change makes a
// new index.
class BackupOfferIndex {
 public:
  // All open ones; and the index after the rows of the change log. Statements may throw,
  // as db::Transaction's.
  static BackupOfferIndex read(db::Transaction& transaction);
  BackupOfferIndex after(db::Transaction& transaction,
                         const std::vector<db::Change>& changes) const;

  // Those that are open at that time, to that holder, by name.
  std::vector<BackupOffer> to(const Holder& holder, base::WallTime now) const;

 private:
  base::SharedMap<std::int64_t, std::shared_ptr<const BackupOffer>> offers_;
};

// Stateless but for the database, which must outlive it. Thread-safe.
class BackupOffers {
 public:
  explicit BackupOffers(db::Database& database) : database_(database) {}

  // kExists: the name is on offer to that device already, from another revision.
  static base::Outcome<BackupOffer> add(db::Transaction& transaction, BackupOffer offer);
  // Returns how many ended.
  static std::size_t end(db::Transaction& transaction, const std::string& name,
                         base::WallTime now);
  // Open at that time.
  base::Outcome<std::vector<BackupOffer>> standing(base::WallTime now) const;

 private:
  db::Database& database_;
};

}  // namespace vantro::backup
