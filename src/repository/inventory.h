// The owner of an address, and the single revisions on offer to it: from the snapshot, so
// that a request needs no database. Thread-safe.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "backup/backup_offers.h"
#include "backup/revision.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "jobs/job.h"

namespace vantro::repository {

struct Repository;

class Inventory {
 public:
  // The repository must outlive it.
  explicit Inventory(Repository& repository) : repository_(repository) {}

  // The device that the address belongs to, or the address itself.
  backup::Holder holder_of(const base::Address& address) const;
  // The name of the device that the address belongs to, or nothing.
  std::string device_at(const base::Address& address) const;
  // As a person typed it: a device's name, or an address. kNotFound has near names.
  base::Outcome<backup::Holder> holder(const std::string& typed) const;
  // Empty if nothing is known.
  std::string platform_of(const backup::Holder& holder) const;
  std::optional<std::uint64_t> quota_of(const backup::Holder& holder) const;
  // The open job of the device with this address, or of that device; nothing: it has
  // none.
  std::optional<jobs::Job> job_at(const base::Address& address) const;
  std::optional<jobs::Job> job_of(std::int64_t device) const;

  // Those that are open at that time, to that holder.
  std::vector<backup::BackupOffer> offers_to(const backup::Holder& holder,
                                             base::WallTime now) const;

 private:
  Repository& repository_;
};

}  // namespace vantro::repository
