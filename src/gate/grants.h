// The gate's objects for devices: an image to read, a backup to write. Each holds the
// running transfer, and makes sure that it ends.
//
// They may wait for the disk and the database, in their destructors too, so they are used
// on a disk pool, each by one thread at a time. The gate must outlive them.
#pragma once

#include <atomic>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "backup/revision.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "crypto/digests.h"
#include "gate/admission.h"
#include "gate/mapped_files.h"
#include "gate/transfers.h"
#include "gate/tree.h"

namespace vantro::gate {

class Gate;
struct Workings;
class WriteSink;
using backup::Ending;

// A running transfer. If it is destroyed before its end, it is recorded as failed.
class Transfer {
 public:
  Transfer(Workings& workings, TransferView start, std::optional<Place> place);
  Transfer(Transfer&& other) noexcept
      : workings_(other.workings_.exchange(nullptr)),
        id_(other.id_),
        place_(std::move(other.place_)) {}
  Transfer& operator=(Transfer&&) = delete;
  ~Transfer();

  // As Transfers has it.
  std::uint64_t id() const { return id_; }
  // Cheap, and the only call here that is allowed on an I/O thread.
  void advance(const Movement& movement) const;
  // Writes to the ledger and the log. Only the first call counts.
  void end(State how, const std::string& why);

  // For callers that write the ledger row themselves: its view as complete, and the end
  // without a row.
  TransferView completed(std::uint64_t bytes, const std::string& sha256) const;
  std::optional<TransferView> end_unrecorded(State how, const std::string& why);
  // Adds bytes that are under way; may return kBusy.
  base::Outcome<void> arrive(std::uint64_t bytes);

 private:
  // Null: moved from, or ended. Atomic, as advance() may run beside a commit: a device
  // can repeat its last block while the disk pool files it.
  std::atomic<Workings*> workings_;
  std::uint64_t id_ = 0;
  std::optional<Place> place_;  // none: the operator's own, or it has ended
};

class ReadGrant {
 public:
  const std::string& name() const { return found_.name; }
  std::uint64_t size() const { return found_.size; }
  const Found& found() const { return found_; }
  const Transfer& transfer() const { return transfer_; }
  Transfer& transfer() { return transfer_; }

  // The open file, for sending it without reading it; -1 if found().text is to be sent.
  int file() const { return shared_ ? shared_->file.get() : file_.get(); }

  // Exactly `count` bytes. kCorrupt if the file ends before. `spare` is memory to use, if
  // it is large enough.
  base::Outcome<base::ByteBuffer> read(std::uint64_t offset, std::size_t count,
                                       base::ByteBuffer spare = {}) const;
  // All of it, into the caller's memory.
  base::Outcome<void> read(std::uint64_t offset, std::span<std::uint8_t> to) const;
  // The same without waiting for the disk: whether everything was in memory, and is in
  // `bytes` now. May be called on an I/O thread.
  bool read_now(std::uint64_t offset, std::size_t count, base::ByteBuffer& bytes) const;
  // The same bytes where they lie, for sending only (base::MappedFile::view): as long as
  // the grant is there and not moved. Nothing: they are not in memory. May be called on
  // an I/O thread.
  std::optional<base::ByteView> in_memory(std::uint64_t offset, std::size_t count) const;

 private:
  friend class Gate;
  // `file` or `shared`; neither, if found.text is to be sent.
  ReadGrant(Found found, base::UniqueFd file, std::shared_ptr<const SentFile> shared,
            Transfer transfer)
      : found_(std::move(found)),
        file_(std::move(file)),
        shared_(std::move(shared)),
        transfer_(std::move(transfer)) {}

  Found found_;
  base::UniqueFd file_;
  std::shared_ptr<const SentFile> shared_;
  Transfer transfer_;
};

// The sender's description of its file.
struct Announced {
  std::optional<std::uint64_t> size;
  std::vector<crypto::Expected> digests = {};  // if one differs, the file is not filed
  // It resumes the sender's own interrupted upload: after so many bytes, or, if not
  // given, after all bytes that arrived; then there may also be no earlier upload.
  bool goes_on = false;
  std::optional<std::uint64_t> behind = {};

  void expect(const std::vector<crypto::Expected>& more) {
    digests.insert(digests.end(), more.begin(), more.end());
  }
};

// The result.
struct Filed {
  std::string path;           // the name for fetching it; empty: none
  std::string sentence;       // for people
  std::int64_t revision = 0;  // of a backup; else 0
  std::uint64_t size = 0;
  crypto::Digests digests;
  // What is new: the record of a revision that counts as good only from now on, or an
  // image's name; else 0, empty.
  std::int64_t record = 0;
  std::string new_image = {};
};

// Bytes that are being received: a backup, or in intake/ an image or a checksum list. A
// backup that is destroyed before commit() succeeded is kept as a partial revision; of
// the others nothing stays.
class WriteGrant {
 public:
  explicit WriteGrant(std::unique_ptr<WriteSink> sink);
  WriteGrant(WriteGrant&& other) noexcept;
  WriteGrant& operator=(WriteGrant&&) = delete;
  ~WriteGrant();

  // May return kTooLarge, kFull, kIo; then call abandon().
  base::Outcome<void> write(base::ByteView bytes);

  // The bytes so far are on disk when this returns a value; it completes nothing.
  base::Outcome<void> sync();

  // Digests that the sender gives only after the bytes, before commit().
  void expect(const std::vector<crypto::Expected>& digests);

  // How we know that it is complete, if not from its protocol; before commit().
  void ended(Ending ending);

  // Bytes, record and ledger row are on disk when this returns a value. After a refused
  // write() it is refused for the same reason, so that a caller who asked for both at
  // once cannot file a file with a hole. kMismatch if an announced digest differs. An
  // image is looked into first, which may take a minute.
  base::Outcome<Filed> commit();

  // It was interrupted. `how` is kFailed (our side) or kAbandoned (theirs). Only the
  // first call of this or commit() counts.
  void abandon(State how, const std::string& why);

  // commit() may take a minute: not on a pool that others wait for.
  bool slow_to_commit() const { return slow_; }
  void set_slow_to_commit() { slow_ = true; }

  const Transfer& transfer() const;

 private:
  bool open_ = true;  // neither committed nor abandoned
  bool slow_ = false;
  std::optional<base::Refusal> write_refusal_;
  std::unique_ptr<WriteSink> sink_;  // null: moved from
};

}  // namespace vantro::gate
