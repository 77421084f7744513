// What is stored, by its SHA-256: who has it, whether it is what it was, and what happens
// when it is not.
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

  // Whether anything has these bytes.
  static bool is_recorded(db::Transaction& transaction, const std::string& sha256);
  // What is stored under this SHA-256 was read: it is what it was, or not.
  static void mark(db::Transaction& transaction, const std::string& sha256, bool whole,
                   base::WallTime now);
  // These bytes have just come into the vault: what was lost of them is whole again.
  static void mend(db::Transaction& transaction, const std::string& sha256,
                   base::WallTime now);

  // From the vault, for good, unless somebody has them or is to decide about them.
  void remove_if_unrecorded(const std::string& sha256);
  // They were read to their end, and are what they were.
  base::Outcome<void> whole(const std::string& sha256);
  // What was read through this handle is not what it was, or is gone; `found` says which.
  // It goes to quarantine, off offer at once, and into ledger and log. False: it is no
  // damage, as the same bytes have come again meanwhile, and are no longer the file that
  // was read, or as nothing has them any more.
  base::Outcome<bool> lost(const std::string& sha256, const store::StoredHandle& read,
                           const std::string& found);
  // Everything that has them, for people.
  static std::string names_of(db::Transaction& transaction, const std::string& sha256);
  std::string names_of(const std::string& sha256) const;

 private:
  Repository& repository_;
};

}  // namespace vantro::repository
