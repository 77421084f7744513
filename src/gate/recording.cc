#include "gate/recording.h"

#include <fmt/format.h>
#include <utility>

namespace vantro::gate {
namespace {

constexpr double kDay = 86'400;  // seconds

}  // namespace

bool Recording::has_rows_left(const base::Address& from, std::uint64_t most) {
  const auto now = clock_.now();
  const auto own = static_cast<double>(most);
  if (!rows_.take(from, 1, own, own / kDay, now)) return false;
  if (from.is_v4()) return true;
  const auto shared = own * kAddressesOfNetwork;
  return rows_of_network_.take(from.network(), 1, shared, shared / kDay, now);
}

void Recording::record(ledger::Entry entry, const base::Address& from,
                       const Config& config) {
  if (entry.outcome == "refused") ++refused_;
  bool too_many_kinds = false;
  {
    const base::Lock lock(mutex_);
    if (!has_rows_left(from, config.rows_per_day)) {
      auto& gathered =
          gathered_[{entry.actor, entry.event, entry.outcome, entry.protocol}];
      const auto bytes = gathered.entry.bytes + entry.bytes;
      ++gathered.rows;
      gathered.limit = config.rows_per_day;
      gathered.entry = std::move(entry);
      gathered.entry.bytes = bytes;
      too_many_kinds = gathered_.size() >= kMostKinds;
    } else {
      ledger_.append(std::move(entry));
    }
  }
  if (too_many_kinds) write_gathered();
}

void Recording::write_gathered() {
  std::map<Kind, Gathered> gathered;
  {
    const base::Lock lock(mutex_);
    gathered.swap(gathered_);
  }
  for (auto& [kind, one] : gathered) {
    // Alone, it is a row like any other.
    if (one.rows > 1) {
      one.entry.sentence = fmt::format(
          "the last of {} like it, in one row with their bytes: this address has used "
          "its {} rows of 24 hours (limits.rows_per_day)",
          one.rows, one.limit);
      one.entry.sha256.clear();
      one.entry.total.reset();
      one.entry.duration_ms = 0;
    }
    ledger_.append(std::move(one.entry));
  }
}

}  // namespace vantro::gate
