// The one door: every protocol opens files through it, with the same names, checks,
// limits and records.
//
//   open_read  -> ReadGrant   or a refusal that names the cause and the nearest name
//   open_write -> WriteGrant  or a refusal
//   open_intake -> ImageIntake, for the operator's images
//
// Synchronous: it may wait for the disk and the database, so it is called on a disk pool.
// Thread-safe.
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
#include "catalog/catalog.h"
#include "catalog/offer_index.h"
#include "gate/grants.h"
#include "gate/repository.h"
#include "gate/transfers.h"

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
