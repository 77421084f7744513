// The change log: the changes that snapshots and listeners depend on, in the order of the
// commits. The rooms below write it (db::Transaction::changed), each change in its own
// transaction, so that no other notification is needed.
#pragma once

#include <cstdint>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "db/database.h"

namespace vantro::repository {

// Thread-safe; the database must outlive it.
class ChangeLog {
 public:
  // How long rows are kept at least: readers are never so far behind.
  static constexpr base::WallTime kKept = 7 * base::WallTime{86'400'000};

  explicit ChangeLog(db::Database& database) : database_(database) {}

  // The sequence number of the last row ever written; 0: none.
  static std::int64_t last(db::Transaction& transaction);
  // The rows after that number, at most `most`, in their order.
  static std::vector<db::Change> after(db::Transaction& transaction,
                                       std::int64_t sequence, std::size_t most);

  // The same, in a transaction of its own.
  base::Outcome<std::vector<db::Change>> after(std::int64_t sequence,
                                               std::size_t most) const;
  // Removes rows that are older than kKept. Returns how many.
  base::Outcome<std::size_t> sweep(base::WallTime now);

 private:
  db::Database& database_;
};

}  // namespace vantro::repository
