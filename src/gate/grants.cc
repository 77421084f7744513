#include "gate/grants.h"

#include <cerrno>
#include <fmt/format.h>
#include <sys/uio.h>
#include <unistd.h>

#include "base/sizes.h"
#include "gate/gate.h"

namespace vantro::gate {

using base::Kind;
using base::Refusal;

// -- Transfer --

Transfer::Transfer(Gate& gate, TransferView start, std::optional<Place> place)
    : gate_(&gate),
      id_(gate.transfers_.begin(std::move(start))),
      place_(std::move(place)) {}

Transfer::~Transfer() { end(State::kFailed, "the server dropped it before its end"); }

void Transfer::advance(const Movement& movement) const {
  if (auto* gate = gate_.load()) gate->transfers_.advance(id_, movement);
}

void Transfer::end(State how, const std::string& why) {
  auto* gate = gate_.load();
  const auto view = end_unrecorded(how, why);
  if (view) gate->repository_.ledger.append(gate->entry_of(*view));
}

std::optional<TransferView> Transfer::end_unrecorded(State how, const std::string& why) {
  auto* gate = gate_.exchange(nullptr);
  if (gate == nullptr) return std::nullopt;
  auto view = gate->transfers_.end(id_, how, why);
  if (view) gate->log_end(*view);
  return view;
}

// -- ReadGrant --

base::Outcome<base::ByteBuffer> ReadGrant::read(std::uint64_t offset, std::size_t count,
                                                base::ByteBuffer spare) const {
  auto bytes = std::move(spare);
  bytes.resize(count);
  std::size_t have = 0;
  while (have < count) {
    const auto got = ::pread(file_.get(), bytes.data() + have, count - have,
                             static_cast<off_t>(offset + have));
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) {
      return base::refuse(base::system_refusal(errno, "the stored file can't be read"));
    }
    if (got == 0) {
      return base::refuse(Kind::kCorrupt,
                          "the server's stored copy is shorter than its record");
    }
    have += static_cast<std::size_t>(got);
  }
  return bytes;
}

bool ReadGrant::read_now(std::uint64_t offset, std::size_t count,
                         base::ByteBuffer& bytes) const {
  bytes.resize(count);
  const iovec part{bytes.data(), count};
  // Short or refused if a page is not in memory, or the file system can't say.
  const auto got =
      ::preadv2(file_.get(), &part, 1, static_cast<off_t>(offset), RWF_NOWAIT);
  return got == static_cast<ssize_t>(count);
}

// -- WriteGrant --

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

WriteGrant::WriteGrant(Gate& gate, backup::Revision revision, store::Arrival arrival,
                       Transfer transfer)
    : gate_(&gate),
      revision_(std::move(revision)),
      arrival_(std::move(arrival)),
      transfer_(std::move(transfer)) {}

WriteGrant::WriteGrant(WriteGrant&& other) noexcept
    : gate_(other.gate_),
      open_(std::exchange(other.open_, false)),
      write_refusal_(std::move(other.write_refusal_)),
      revision_(std::move(other.revision_)),
      arrival_(std::move(other.arrival_)),
      transfer_(std::move(other.transfer_)) {}

WriteGrant::~WriteGrant() {
  abandon(State::kFailed, "the server dropped it before its end");
}

base::Outcome<void> WriteGrant::write(base::ByteView bytes) {
  if (write_refusal_) return base::refuse(*write_refusal_);
  if (bytes.size() > gate_->config_.largest_deposit - arrival_.size()) {
    write_refusal_ = {Kind::kTooLarge,
                      fmt::format("backups larger than {} are not taken",
                                  base::size_text(gate_->config_.largest_deposit))};
  } else if (auto room = transfer_.place_->arrive(bytes.size()); !room) {
    write_refusal_ = room.error();
  } else if (auto written = arrival_.write(bytes); !written) {
    write_refusal_ = written.error();
  }
  if (write_refusal_) return base::refuse(*write_refusal_);
  return {};
}

base::Outcome<backup::Revision> WriteGrant::commit() {
  if (write_refusal_) return base::refuse(*write_refusal_);
  auto digests = arrival_.seal();
  if (!digests) return base::refuse(digests.error());
  if (auto kept = arrival_.keep(); !kept) return base::refuse(kept.error());
  revision_.complete = true;
  revision_.size = arrival_.size();
  revision_.digests = std::move(*digests);
  revision_.arrived_at = gate_->clock_.wall();
  auto view = gate_->transfers_.find(transfer_.id_).value_or(TransferView{});
  view.state = State::kComplete;
  view.bytes = revision_.size;
  view.sha256 = revision_.digests.sha256;
  auto entry = gate_->entry_of(view);
  auto filed = gate_->repository_.database->write(
      [&](db::Transaction& t) -> base::Outcome<backup::Revision> {
        auto added = backup::Backups::add(t, revision_);
        // The bytes may have been there before, and damaged.
        backup::Backups::mark_read(t, revision_.digests.sha256, true,
                                   revision_.arrived_at);
        const bool image =
            catalog::Catalog::with_content(t, revision_.digests.sha256).has_value();
        if (image) {
          catalog::Catalog::mark_read(t, revision_.digests.sha256, true,
                                      revision_.arrived_at);
        }
        entry.sentence = filed_sentence(added);
        ledger::Ledger::record(t, entry);
        return added;
      });
  if (!filed) return filed;
  open_ = false;
  transfer_.advance({revision_.size, entry.resent, 0});
  transfer_.end_unrecorded(State::kComplete, "");
  return filed;
}

void WriteGrant::abandon(State how, const std::string& why) {
  if (!std::exchange(open_, false)) return;
  revision_.size = arrival_.size();
  if (write_refusal_) {
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
  revision_.arrived_at = gate_->clock_.wall();
  revision_.why = why;
  auto filed = gate_->repository_.database->write(
      [&](db::Transaction& t) -> base::Outcome<backup::Revision> {
        return backup::Backups::add(t, revision_);
      });
  if (!filed) {
    gate_->log_.error(
        "a partial backup could not be recorded; its bytes are in partial/",
        {{"file", revision_.partial_file}, {"why", filed.error().sentence}});
  }
}

}  // namespace vantro::gate
