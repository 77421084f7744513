// Stored contents, by their SHA-256: what uses them, whether they are unchanged, and what
// happens if not.
#pragma once

#include <cstdint>
#include <string>

#include "base/clock.h"
#include "base/outcome.h"
#include "db/database.h"
#include "store/state_folder.h"

namespace vantro::repository {

struct Repository;

// Thread-safe; the repository must outlive it.
class Contents {
 public:
  explicit Contents(Repository& repository) : repository_(repository) {}

  // Whether anything uses these bytes.
  static bool is_recorded(db::Transaction& transaction, const std::string& sha256);
  // Records the result of verifying the file of this SHA-256: unchanged, or not.
  static void mark(db::Transaction& transaction, const std::string& sha256, bool whole,
                   base::WallTime now);
  // These bytes have just arrived in the vault: lost ones are whole again.
  static void mend(db::Transaction& transaction, const std::string& sha256,
                   base::WallTime now);

  // Removes them from the vault, for good, unless something uses them or a person must
  // decide about them.
  void remove_if_unrecorded(const std::string& sha256);
  // They were read to their end, and are unchanged.
  base::Outcome<void> whole(const std::string& sha256);
  // In a transaction that records bytes which were moved into the vault: kBusy if another
  // node has removed or quarantined them since, as they were not recorded yet.
  base::Outcome<void> still_there(db::Transaction& transaction,
                                  const std::string& sha256) const;
  // The bytes read through this handle are changed or missing; `found` says which. Moves
  // the file to quarantine, ends its offers at once, and records it in ledger and log.
  // False: it is not damage, as the same bytes have arrived again meanwhile, and are
  // another file now, or as nothing uses them any more.
  base::Outcome<bool> lost(const std::string& sha256, const store::StoredHandle& read,
                           const std::string& found);
  // Everything that uses them, for people.
  static std::string names_of(db::Transaction& transaction, const std::string& sha256);
  std::string names_of(const std::string& sha256) const;

 private:
  Repository& repository_;
};

}  // namespace vantro::repository
