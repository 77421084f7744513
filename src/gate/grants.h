// What the gate hands out to devices: an image to read, a backup to write. Each holds the
// running transfer, and sees to it that it ends.
//
// They may wait for the disk and the database, in their destructors too, so they are used
// on a disk pool, each by one thread at a time. The gate must outlive them.
#pragma once

#include <atomic>
#include <cstdint>
#include <optional>
#include <string>
#include <utility>

#include "backup/backups.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "gate/admission.h"
#include "gate/transfers.h"
#include "store/arrival.h"

namespace vantro::gate {

class Gate;

// A running transfer. One that is destroyed before it was ended is recorded as failed.
class Transfer {
 public:
  Transfer(Gate& gate, TransferView start, std::optional<Place> place);
  Transfer(Transfer&& other) noexcept
      : gate_(other.gate_.exchange(nullptr)),
        id_(other.id_),
        place_(std::move(other.place_)) {}
  Transfer& operator=(Transfer&&) = delete;
  ~Transfer();

  // Cheap, and the one thing here that may be called on an I/O thread.
  void advance(const Movement& movement) const;
  // Into the ledger and the log. Only the first call counts.
  void end(State how, const std::string& why);

 private:
  friend class WriteGrant;
  friend class ImageIntake;

  // As end(), where the ledger row is written elsewhere.
  std::optional<TransferView> end_unrecorded(State how, const std::string& why);

  // Null: moved from, or ended. Atomic as advance() may run beside a commit: a device can
  // repeat its last block while the disk pool files it.
  std::atomic<Gate*> gate_;
  std::uint64_t id_ = 0;
  std::optional<Place> place_;  // none: the operator's own
};

class ReadGrant {
 public:
  const std::string& name() const { return name_; }
  std::uint64_t size() const { return size_; }
  const Transfer& transfer() const { return transfer_; }
  Transfer& transfer() { return transfer_; }

  // Exactly `count` bytes. kCorrupt if the file ends before.
  // `spare` is memory to use, if it is large enough.
  base::Outcome<base::ByteBuffer> read(std::uint64_t offset, std::size_t count,
                                       base::ByteBuffer spare = {}) const;
  // The same without waiting for the disk: whether all of it was in memory, and is in
  // `bytes` now. May be called on an I/O thread.
  bool read_now(std::uint64_t offset, std::size_t count, base::ByteBuffer& bytes) const;

 private:
  friend class Gate;
  ReadGrant(std::string name, std::uint64_t size, base::UniqueFd file, Transfer transfer)
      : name_(std::move(name)),
        size_(size),
        file_(std::move(file)),
        transfer_(std::move(transfer)) {}

  std::string name_;
  std::uint64_t size_;
  base::UniqueFd file_;
  Transfer transfer_;
};

// A backup that is being received. Destroyed before commit() succeeded, what has come is
// kept as a partial revision.
class WriteGrant {
 public:
  WriteGrant(WriteGrant&& other) noexcept;
  WriteGrant& operator=(WriteGrant&&) = delete;
  ~WriteGrant();

  // May return kTooLarge, kFull, kIo; then call abandon().
  base::Outcome<void> write(base::ByteView bytes);

  // Bytes, revision and ledger row are on disk when this returns a value. After a write()
  // that was refused it is refused for the same reason, so that a caller who had asked
  // for both at once can't file a file with a hole.
  base::Outcome<backup::Revision> commit();

  // Broke off. `how` is kFailed (our side) or kAbandoned (theirs). What has come is kept
  // as a partial revision, unless a write() was refused. Only the first call of this or
  // commit() counts.
  void abandon(State how, const std::string& why);

  const Transfer& transfer() const { return transfer_; }

 private:
  friend class Gate;
  WriteGrant(Gate& gate, backup::Revision revision, store::Arrival arrival,
             Transfer transfer);

  Gate* gate_;
  bool open_ = true;  // neither committed nor abandoned
  std::optional<base::Refusal> write_refusal_;
  backup::Revision revision_;
  store::Arrival arrival_;
  Transfer transfer_;
};

}  // namespace vantro::gate
