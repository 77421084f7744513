// Whose an address is, and which single revisions are on offer to whom: from immutable
// copies, so that a request needs no database for it. Thread-safe.
#pragma once

#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "backup/backup_offers.h"
#include "backup/revision.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "fleet/devices.h"

namespace vantro::gate {

struct Repository;

class Inventory {
 public:
  // The repository must outlive it. Nothing is read before reload().
  explicit Inventory(Repository& repository) : repository_(repository) {}

  // Devices or offers have changed in the database.
  base::Outcome<void> reload(base::WallTime now);

  // The device that the address belongs to, or the address itself.
  backup::Holder holder_of(const base::Address& address) const;
  // As a person typed it: a device's name, or an address. kNotFound says what is near.
  base::Outcome<backup::Holder> holder(const std::string& typed) const;
  // Empty where nothing is known of it.
  std::string platform_of(const backup::Holder& holder) const;
  std::optional<std::uint64_t> quota_of(const backup::Holder& holder) const;

  // Those that stand at that time, to that holder.
  std::vector<backup::BackupOffer> offers_to(const backup::Holder& holder,
                                             base::WallTime now) const;

 private:
  using Offers = std::vector<backup::BackupOffer>;
  std::shared_ptr<const fleet::DeviceIndex> devices() const;

  Repository& repository_;
  mutable std::mutex mutex_;
  // Guarded by mutex_, as pointers only.
  std::shared_ptr<const fleet::DeviceIndex> devices_;
  std::shared_ptr<const Offers> offers_;
};

}  // namespace vantro::gate
