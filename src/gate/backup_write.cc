#include "gate/backup_write.h"

#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "gate/gate.h"

namespace vantro::gate {

using base::Kind;

namespace {

std::string filed_sentence(const backup::Revision& revision) {
  auto sentence = fmt::format("revision {}", revision.number);
  const auto announced = revision.announced.value_or(0);
  if (announced != 0 && announced != revision.size) {
    sentence += fmt::format("; the device had announced {} bytes, {} came", announced,
                            revision.size);
  }
  return sentence;
}

}  // namespace

BackupWrite::BackupWrite(Gate& gate, backup::Revision revision, Announced announced,
                         store::Arrival arrival, Transfer transfer)
    : gate_(gate),
      revision_(std::move(revision)),
      announced_(std::move(announced)),
      arrival_(std::move(arrival)),
      transfer_(std::move(transfer)) {}

base::Outcome<void> BackupWrite::write(base::ByteView bytes) {
  if (bytes.size() > gate_.config_.largest_deposit - arrival_.size()) {
    return base::refuse(Kind::kTooLarge,
                        fmt::format("backups larger than {} are not taken",
                                    base::size_text(gate_.config_.largest_deposit)));
  }
  if (auto room = transfer_.arrive(bytes.size()); !room) return room;
  return arrival_.write(bytes);
}

base::Outcome<Filed> BackupWrite::commit() {
  auto digests = arrival_.seal();
  if (!digests) return base::refuse(digests.error());
  if (const auto wrong = differing(*digests, announced_.digests)) {
    differs_ = true;
    return base::refuse(differs(*digests, *wrong));
  }
  if (auto kept = arrival_.keep(); !kept) return base::refuse(kept.error());
  revision_.complete = true;
  revision_.size = arrival_.size();
  revision_.digests = std::move(*digests);
  revision_.arrived_at = gate_.clock_.wall();
  auto entry =
      gate_.entry_of(transfer_.completed(revision_.size, revision_.digests.sha256));
  auto filed = gate_.repository_.database->write(
      [&](db::Transaction& t) -> base::Outcome<backup::Revision> {
        auto added = backup::Backups::add(t, revision_);
        // The bytes may have been there before, and damaged.
        backup::Backups::mark_read(t, revision_.digests.sha256, true,
                                   revision_.arrived_at);
        if (catalog::Catalog::with_content(t, revision_.digests.sha256)) {
          catalog::Catalog::mark_read(t, revision_.digests.sha256, true,
                                      revision_.arrived_at);
        }
        entry.sentence =
            filed_sentence(added) + (entry.sentence.empty() ? "" : "; " + entry.sentence);
        ledger::Ledger::record(t, entry);
        return added;
      });
  if (!filed) return base::refuse(filed.error());
  transfer_.advance({revision_.size, entry.resent, 0});
  transfer_.end_unrecorded(State::kComplete, "");
  Filed result;
  result.path = backup_path(filed->name, filed->number);
  result.sentence = fmt::format("revision {} of '{}' from {}, {}", filed->number,
                                base::printable(filed->name, base::kLongestName),
                                filed->address, base::size_text(filed->size));
  result.revision = filed->number;
  result.size = filed->size;
  result.digests = filed->digests;
  return result;
}

void BackupWrite::abandon(State how, const std::string& why, bool keep) {
  revision_.size = arrival_.size();
  if (!keep || differs_) {
    // Kept, an upload that filled the disk would keep it full for days, and one over the
    // limit could be sent again and again.
    arrival_.discard();
  } else {
    revision_.partial_file = arrival_.set_aside();
  }
  transfer_.end(how, why);
  if (revision_.partial_file.empty()) return;
  revision_.complete = false;
  revision_.digests = {};
  revision_.arrived_at = gate_.clock_.wall();
  revision_.why = why;
  auto filed = gate_.repository_.database->write(
      [&](db::Transaction& t) -> base::Outcome<backup::Revision> {
        return backup::Backups::add(t, revision_);
      });
  if (!filed) {
    gate_.log_.error("a partial backup could not be recorded; its bytes are in partial/",
                     {{"file", revision_.partial_file}, {"why", filed.error().sentence}});
  }
}

}  // namespace vantro::gate
