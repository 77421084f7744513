// The one door: every protocol opens files through it, with the same names, checks,
// limits and records.
//
//   open_read  -> ReadGrant   or a refusal that names the cause and the nearest name
//   open_write -> WriteGrant  or a refusal
//   open_intake -> ImageIntake, for the operator's images
//
// Synchronous: it may wait for the disk and the database, so it is called on a disk pool,
// and so are the methods and destructors of grants. Thread-safe; one grant is used by one
// thread at a time. The gate must outlive its grants.
#pragma once

#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <string_view>

#include "backup/backups.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/log.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "catalog/catalog.h"
#include "catalog/offer_index.h"
#include "crypto/digests.h"
#include "gate/repository.h"
#include "gate/transfers.h"
#include "store/arrival.h"

namespace vantro::gate {

// Who asks, and how.
struct Asker {
  base::Endpoint peer;
  std::string protocol;  // "tftp"
};

struct Limits {
  // The largest backup that a device may send, in bytes.
  std::uint64_t largest_deposit = std::uint64_t{16} << 30;
};

class Gate;

// A running transfer. One that is destroyed before it was ended is recorded as failed.
class Transfer {
 public:
  Transfer(Gate& gate, TransferView start);
  Transfer(Transfer&& other) noexcept
      : gate_(std::exchange(other.gate_, nullptr)), id_(other.id_) {}
  Transfer& operator=(Transfer&&) = delete;
  ~Transfer();

  // Cheap, and the one thing here that may be called on an I/O thread.
  void advance(std::uint64_t bytes, std::uint64_t resent) const;
  // Into the ledger and the log. Only the first call counts.
  void end(State how, const std::string& why);

 private:
  friend class WriteGrant;
  friend class ImageIntake;

  // As end(), where the ledger row is written elsewhere.
  std::optional<TransferView> end_unrecorded(State how, const std::string& why);

  Gate* gate_;  // null: moved from, or ended
  std::uint64_t id_ = 0;
};

class ReadGrant {
 public:
  const std::string& name() const { return name_; }
  std::uint64_t size() const { return size_; }
  const Transfer& transfer() const { return transfer_; }
  Transfer& transfer() { return transfer_; }

  // Exactly `count` bytes. kCorrupt if the file ends before.
  base::Outcome<base::ByteBuffer> read(std::uint64_t offset, std::size_t count) const;

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

// An image that the operator hands in. Destroyed before commit() succeeded, nothing of it
// stays.
class ImageIntake {
 public:
  ImageIntake(ImageIntake&& other) noexcept;
  ImageIntake& operator=(ImageIntake&&) = delete;
  ~ImageIntake();

  base::Outcome<void> write(base::ByteView bytes);

  // Compares with `expected` before anything is filed: kMismatch if it differs. May
  // return kExists: the name stands for other bytes. REQUIRES: no write() was refused.
  base::Outcome<catalog::Added> commit(const std::optional<crypto::Expected>& expected);

  // What came; empty before commit() was called.
  const crypto::Digests& digests() const { return digests_; }

 private:
  friend class Gate;
  ImageIntake(Gate& gate, catalog::Image image, bool hold, store::Arrival arrival,
              Transfer transfer);

  void fail(const std::string& why);

  Gate* gate_;
  catalog::Image image_;
  bool hold_;
  bool open_ = true;
  store::Arrival arrival_;
  crypto::Digests digests_;
  Transfer transfer_;
};

class Gate {
 public:
  // The repository and the clock must outlive the gate. Reads the offers.
  static base::Outcome<std::unique_ptr<Gate>> open(Repository& repository,
                                                   const base::Clock& clock,
                                                   base::Log log, const Limits& limits);

  base::Outcome<ReadGrant> open_read(const Asker& asker, std::string_view typed_name);

  // `announced` is the size that the device gives, if it does.
  base::Outcome<WriteGrant> open_write(const Asker& asker, std::string_view typed_name,
                                       std::optional<std::uint64_t> announced);

  // `size` is what will come, if that is known. `hold`: not on offer for now.
  base::Outcome<ImageIntake> open_intake(std::string_view typed_name,
                                         std::optional<std::uint64_t> size, bool hold);

  // A request that its protocol refused before the gate was asked. Cheap: it may be
  // called on an I/O thread.
  void record_refusal(const Asker& asker, const std::string& event, std::string_view name,
                      const base::Refusal& refusal);

  // What the operator did or the server itself: into ledger and log.
  void record_event(const std::string& event, const std::string& actor,
                    const std::string& sentence);

  std::size_t offers() const { return index()->size(); }
  const Transfers& transfers() const { return transfers_; }
  Repository& repository() { return repository_; }

 private:
  friend class Transfer;
  friend class WriteGrant;
  friend class ImageIntake;

  Gate(Repository& repository, const base::Clock& clock, base::Log log,
       const Limits& limits)
      : repository_(repository),
        clock_(clock),
        log_(std::move(log)),
        limits_(limits),
        transfers_(clock) {}

  std::shared_ptr<const catalog::OfferIndex> index() const;
  base::Outcome<void> reload_offers();
  ledger::Entry entry_of(const TransferView& view) const;
  void log_end(const TransferView& view) const;

  Repository& repository_;
  const base::Clock& clock_;
  base::Log log_;
  Limits limits_;  // constant after construction
  Transfers transfers_;
  mutable std::mutex index_mutex_;
  std::shared_ptr<const catalog::OfferIndex> index_;  // guarded by index_mutex_
};

}  // namespace vantro::gate
