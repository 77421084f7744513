#include "gate/backup_write.h"

#include <fmt/format.h>

#include "base/counted.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "fleet/devices.h"
#include "gate/kept_uploads.h"
#include "gate/workings.h"
#include "repository/reports.h"
#include "repository/stored_text.h"

namespace vantro::gate {

using backup::FileKind;
using base::Kind;

namespace {

// Bytes between two checks of the disk's free space.
constexpr std::uint64_t kLookEvery = 4 << 20;

bool fits(std::uint64_t bytes, std::uint64_t kept, std::uint64_t quota) {
  return quota == 0 || (kept <= quota && bytes <= quota - kept);
}

}  // namespace

base::Outcome<void> DepositLimits::check_quota(std::uint64_t bytes) const {
  const auto refuse = [](const char* whose, std::uint64_t held, std::uint64_t most) {
    return base::refuse(
        Kind::kFull,
        fmt::format("{} of this {}'s backups are kept, and {} is its quota; the operator "
                    "must thin them out or raise it",
                    base::size_text(held), whose, base::size_text(most)));
  };
  if (!fits(bytes, kept, quota)) return refuse("device", kept, quota);
  if (!fits(bytes, kept_of_network, quota_of_network)) {
    return refuse("network", kept_of_network, quota_of_network);
  }
  return {};
}

base::Refusal only_configurations() {
  return {Kind::kFull,
          "the server's disk is nearly full; the rest is reserved for "
          "configurations; the operator must free some space"};
}

BackupWrite::BackupWrite(Workings& workings, backup::Revision revision,
                         const base::Address& from, Announced announced,
                         DepositLimits limits, text::ContentTeller content,
                         store::Arrival arrival, Transfer transfer)
    : workings_(workings),
      revision_(std::move(revision)),
      from_(from),
      announced_(std::move(announced)),
      limits_(limits),
      content_(content),
      arrival_(std::move(arrival)),
      transfer_(std::move(transfer)) {
  arrival_.need(announced_.digests);
}

void BackupWrite::expect(const std::vector<crypto::Expected>& digests) {
  announced_.expect(digests);
  arrival_.need(digests);
}

base::Outcome<void> BackupWrite::write(base::ByteView bytes) {
  const auto size = arrival_.size() + bytes.size();
  // A resumed upload may be over a limit that was lowered since.
  if (size > workings_.config()->largest_deposit) {
    return base::refuse(
        Kind::kTooLarge,
        fmt::format("backups larger than {} are not accepted",
                    base::size_text(workings_.config()->largest_deposit)));
  }
  if (auto room = limits_.check_quota(size); !room) return room;
  content_.update(bytes);
  if (kept_at_ != 0) return arrival_.write(bytes);
  // The disk fills up during the upload, because of it or of others.
  const auto reserve = workings_.config()->reserve;
  if (reserve != 0 && size - looked_at_ >= kLookEvery) {
    looked_at_ = size;
    limits_.only_configurations = workings_.repository.folder.room() < reserve;
  }
  if (limits_.only_configurations &&
      (size > limits_.configuration_up_to ||
       (limits_.named != FileKind::kConfiguration && !content_.is_text()))) {
    return base::refuse(only_configurations());
  }
  if (auto room = transfer_.arrive(bytes.size()); !room) return room;
  if (auto may = workings_.deposit_rates.more_bytes(
          from_, bytes.size(), *workings_.config(), workings_.clock.now());
      !may) {
    return may;
  }
  return arrival_.write(bytes);
}

backup::Holder BackupWrite::holder_now() const {
  return workings_.repository.inventory.holder_of(from_);
}

// Until the last moment its address may become a device's, or another's, and a device may
// be removed.
base::Outcome<void> BackupWrite::settle_holder(db::Transaction& t) {
  if (auto done = workings_.repository.snapshots.follow(t); !done) return done;
  const auto holder = holder_now();
  if (holder == revision_.holder) return {};
  revision_.holder = holder;
  if (!revision_.complete) return {};
  before_ = backup::Backups::newest_complete(t, holder, revision_.name);
  rejudged_ = false;
  return {};
}

base::Outcome<void> BackupWrite::judge() {
  auto& repository = workings_.repository;
  const auto& treatment = workings_.repository.rules.treatment;
  revision_.size = arrival_.size();
  revision_.holder = holder_now();
  std::string read;
  const auto rules =
      treatment.left_out(workings_.repository.inventory.platform_of(revision_.holder));
  revision_.text = content_.is_text();
  if (revision_.text && !rules.empty() &&
      revision_.size <= treatment.configuration_up_to()) {
    const auto file = arrival_.open_for_reading();
    if (!file) return base::refuse(file.error());
    auto text =
        repository::read_for_comparing(file->get(), treatment.configuration_up_to());
    if (!text) return base::refuse(text.error());
    read = std::move(*text);
  }
  revision_.kind = treatment.kind_of(revision_.name, revision_.text, revision_.size);
  if (!revision_.text && treatment.kind_by_name(revision_.name) == FileKind::kUnknown) {
    const auto same = workings_.same_as_image(revision_);
    if (!same) return base::refuse(same.error());
    if (*same || workings_.recognised(revision_)) revision_.kind = FileKind::kImage;
  }
  if (auto read_whole = read_report(); !read_whole) return read_whole;
  const bool encrypted =
      repository.folder.encrypts() && revision_.kind == FileKind::kConfiguration;
  if (auto done = arrival_.encrypt(encrypted); !done) return done;
  if (revision_.kind == FileKind::kConfiguration && revision_.text) {
    revision_.substance = backup::substance(read, rules);
  }
  auto before = repository.backups.newest_complete(revision_.holder, revision_.name);
  if (!before) return base::refuse(before.error());
  before_ = std::move(*before);
  if (before_ && !backup::made_by(before_->substance, rules)) {
    // The rules have changed since. Unreadable text counts whole.
    const auto text = repository::read_stored_text(repository, *before_);
    rejudged_ = true;
    before_->substance = text ? backup::substance(*text, rules) : std::string();
  }
  return {};
}

base::Outcome<void> BackupWrite::read_report() {
  if (revision_.holder.device == 0) return {};
  if (revision_.kind == FileKind::kReport && revision_.text) {
    const auto file = arrival_.open_for_reading();
    if (!file) return base::refuse(file.error());
    auto text = repository::read_for_comparing(file->get(), text::ReportReader::kLongest);
    if (!text) return base::refuse(text.error());
    report_ = std::move(*text);
  }
  if (revision_.kind == FileKind::kImage) {
    const auto image =
        workings_.repository.catalog.with_content(revision_.digests.sha256);
    if (!image) return base::refuse(image.error());
    if (*image) same_image_ = (*image)->name;
  }
  return {};
}

std::string BackupWrite::learn(db::Transaction& t, const backup::Revision& filed) const {
  if (filed.holder.device == 0) return "";
  const fleet::Origin origin{
      "", workings_.clock.wall(),
      fmt::format("revision {} of '{}'", filed.number, base::printable(filed.name, 80))};
  if (!same_image_.empty()) {
    auto device = fleet::Devices::with_id(t, filed.holder.device);
    if (!device) return "";
    device->state.set(
        {"", fleet::kHolds, filed.name, same_image_, origin.at, origin.source});
    fleet::Devices::write_state(t, *device);
    return fmt::format("; the same as image '{}'", same_image_);
  }
  if (report_.empty()) return "";
  const auto read = repository::read_report(t, workings_.config()->reports,
                                            filed.holder.device, report_, origin);
  auto text =
      fmt::format("; {} read from it", base::counted(read.learnt.size(), "value"));
  for (const auto& doubt : read.doubts) text += "; CAUTION: " + doubt;
  return text;
}

base::Outcome<backup::Added> BackupWrite::file() {
  revision_.arrived_at = kept_at_ != 0 ? kept_at_ : workings_.clock.wall();
  auto entry =
      workings_.entry_of(transfer_.completed(revision_.size, revision_.digests.sha256));
  entry.at = revision_.arrived_at;
  backup::Added added;
  auto filed = workings_.repository.filing.file(
      arrival_,
      [&](db::Transaction& t) -> base::Outcome<void> {
        if (auto settled = settle_holder(t); !settled) return settled;
        if (rejudged_) {
          backup::Backups::judge_again(t, before_->id, before_->substance);
        }
        added = backup::Backups::add(t, revision_);
        record(t, entry, added);
        return {};
      },
      revision_.arrived_at);
  if (!filed) return base::refuse(filed.error());
  return added;
}

void BackupWrite::record(db::Transaction& t, ledger::Entry entry,
                         const backup::Added& added) const {
  entry.sentence = fmt::format("revision {}{}{}{}", added.revision.number,
                               rest_of_sentence(added), learn(t, added.revision),
                               entry.sentence.empty() ? "" : "; " + entry.sentence);
  ledger::Ledger::record(t, entry);
}

std::string BackupWrite::rest_of_sentence(const backup::Added& added) const {
  std::string rest;
  if (added.seen_again) {
    rest = ", seen again, unchanged";
  } else if (before_ && !added.revision.changed) {
    rest = ", unchanged in substance";
  }
  if (revision_.ending == backup::Ending::kUnknownSize) {
    rest += "; the client closed an upload of unknown size";
  } else if (revision_.ending == Ending::kCut) {
    rest += "; its TLS connection ended without close_notify";
  }
  const auto announced = revision_.announced.value_or(0);
  if (announced != 0 && announced != revision_.size) {
    rest += fmt::format("; the device had announced {} bytes, {} arrived", announced,
                        revision_.size);
  }
  return rest;
}

base::Outcome<Filed> BackupWrite::commit() {
  auto digests = arrival_.finish();
  if (!digests) return base::refuse(digests.error());
  if (auto there = arrival_.add_missing(*digests, announced_.digests); !there) {
    return base::refuse(there.error());
  }
  if (const auto wrong = differing(*digests, announced_.digests)) {
    differs_ = true;
    return base::refuse(differs(*digests, *wrong));
  }
  revision_.complete = true;
  revision_.digests = std::move(*digests);
  if (kept_at_ == 0 && workings_.keeps_uploads()) return keep_for_later();
  if (auto judged = judge(); !judged) {
    // It went away at this moment.
    if (kept_at_ == 0 && workings_.keeps_uploads()) return keep_for_later();
    return base::refuse(judged.error());
  }
  const auto resent = transfer_.completed(0, "").resent;
  const auto filed = file();
  if (!filed) return base::refuse(filed.error());
  const auto& revision = filed->revision;
  transfer_.advance({revision.size, resent, 0});
  transfer_.end_unrecorded(State::kComplete, "");
  if (!filed->seen_again) count_for_network(revision.size);
  Filed result;
  result.path = backup_path(revision.name, revision.number);
  result.sentence = fmt::format("revision {} of '{}' from {}, {}{}", revision.number,
                                base::printable(revision.name, base::kLongestName),
                                revision.holder.name, base::size_text(revision.size),
                                filed->seen_again ? ", seen again, unchanged" : "");
  result.revision = revision.number;
  if (filed->newly_good) result.record = revision.id;
  result.size = revision.size;
  result.digests = revision.digests;
  return result;
}

base::Outcome<Filed> BackupWrite::keep_for_later() {
  revision_.arrived_at = workings_.clock.wall();
  revision_.size = arrival_.size();
  const auto view = transfer_.completed(revision_.size, revision_.digests.sha256);
  if (auto kept = arrival_.keep_for_later(about_kept(revision_, view)); !kept) {
    return base::refuse(kept.error());
  }
  workings_.has_kept = true;
  transfer_.advance({revision_.size, view.resent, 0});
  transfer_.end_unrecorded(State::kComplete, "");
  Filed result;
  result.sentence = fmt::format(
      "'{}' from {}, {}, is safe on the server's disk; it gets its number when the "
      "database is back",
      base::printable(revision_.name, base::kLongestName), revision_.holder.name,
      base::size_text(revision_.size));
  result.size = revision_.size;
  result.digests = revision_.digests;
  return result;
}

void BackupWrite::count_for_network(std::uint64_t bytes) const {
  if (revision_.holder.device == 0) workings_.kept_by_network.add(from_, bytes);
}

void BackupWrite::abandon(State how, const std::string& why, bool keep) {
  if (kept_at_ != 0) {
    // It is still in kept/, and will be tried again.
    arrival_.discard();
    transfer_.end_unrecorded(how, why);
    return;
  }
  revision_.size = arrival_.size();
  if (!keep || differs_) {
    // If it was kept, an upload that filled the disk would keep it full for days, and one
    // over the limit could be sent again and again.
    arrival_.discard();
  } else {
    auto kept = arrival_.set_aside();
    revision_.partial_file = std::move(kept.file);
    revision_.partial_sha256 = std::move(kept.sha256);
    count_for_network(revision_.size);
  }
  transfer_.end(how, why);
  if (revision_.partial_file.empty()) return;
  revision_.complete = false;
  revision_.digests = {};
  revision_.kind = FileKind::kUnknown;
  revision_.text = content_.is_text();
  revision_.arrived_at = workings_.clock.wall();
  revision_.why = why;
  auto filed = workings_.repository.database->write(
      [&](db::Transaction& t) -> base::Outcome<backup::Added> {
        if (auto settled = settle_holder(t); !settled) {
          return base::refuse(settled.error());
        }
        return backup::Backups::add(t, revision_);
      });
  if (!filed) {
    workings_.log.error(
        "a partial backup could not be recorded; its bytes are in partial/",
        {{"file", revision_.partial_file}, {"why", filed.error().sentence}});
  }
}

}  // namespace vantro::gate
