// Which revisions of one file retention lets go. Pure: nothing is removed here.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "backup/revision.h"
#include "base/clock.h"

namespace vantro::backup {

// All revisions for some days, then the newest one of each week, then of each month. 0
// days of anything: no such stretch.
struct KeepRule {
  std::int64_t all_days = 0;      // 0: everything for ever
  std::int64_t weekly_days = 0;   // counted from today on, like the next
  std::int64_t monthly_days = 0;  // 0: one a month for ever
  std::int64_t at_least = 3;      // of the newest complete ones, from 1 up

  bool operator==(const KeepRule&) const = default;
};

struct Judged {
  Revision revision;
  bool goes = false;
  std::string why;  // "one of week 2026-11-16 is kept already", "pinned: before the move"
};

// `revisions` are of one file, by number. Newest first in the answer. Pinned ones, those
// in `held` (by id) and the only complete one stay; an interrupted one goes when all_days
// are over.
std::vector<Judged> judge(const std::vector<Revision>& revisions, const KeepRule& rule,
                          const std::vector<std::int64_t>& held, base::WallTime now);

}  // namespace vantro::backup
