#include "gate/change_record.h"

#include <utility>

#include "ledger/ledger.h"

namespace vantro::gate {

void record_change(db::Transaction& transaction, base::WallTime now,
                   ChangeRecord change) {
  ledger::Entry entry;
  entry.at = now;
  entry.event = std::move(change.event);
  entry.actor = std::move(change.who);
  entry.protocol = "manage";
  entry.name = std::move(change.name);
  entry.sha256 = std::move(change.sha256);
  entry.outcome = "done";
  entry.sentence = std::move(change.sentence);
  ledger::Ledger::record(transaction, entry);
}

}  // namespace vantro::gate
