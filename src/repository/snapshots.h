// The data for requests without the database: offers, accounts, people, devices, and
// backups on offer, as they were after one commit. Snapshots follow the change log.
#pragma once

#include <atomic>
#include <cstdint>
#include <memory>

#include "auth/accounts.h"
#include "auth/people.h"
#include "backup/backup_offers.h"
#include "base/log.h"
#include "base/outcome.h"
#include "catalog/image_names.h"
#include "catalog/offer_index.h"
#include "db/database.h"
#include "fleet/devices.h"
#include "jobs/jobs.h"
#include "jobs/rescue/session.h"
#include "repository/published.h"

namespace vantro::repository {

struct Snapshot {
  std::int64_t sequence = 0;  // of the change log: everything up to it is included
  // Never null.
  std::shared_ptr<const catalog::OfferIndex> offers;
  std::shared_ptr<const catalog::ImageNames> image_names;
  std::shared_ptr<const auth::AccountIndex> accounts;
  std::shared_ptr<const auth::PeopleIndex> people;
  std::shared_ptr<const fleet::DeviceIndex> devices;
  std::shared_ptr<const backup::BackupOfferIndex> backup_offers;
  std::shared_ptr<const jobs::JobIndex> jobs;  // the open ones
  std::shared_ptr<const jobs::rescue::Index> rescues;
};

// Thread-safe; the database must outlive it.
class Snapshots {
 public:
  // `only_vouched`: as in catalog::OfferIndex. `node`: this one, if there are several.
  Snapshots(db::Database& database, base::Log log, bool only_vouched,
            std::string node = "")
      : database_(database),
        log_(std::move(log)),
        only_vouched_(only_vouched),
        node_(std::move(node)) {}

  // REQUIRES: follow() has succeeded once.
  std::shared_ptr<const Snapshot> get() const { return published_.get(); }

  // Updates it to the last commit: the first time by reading everything, then by reading
  // the changes. The database calls it after each commit with changes.
  base::Outcome<void> follow();
  // The same in a write transaction: nobody else commits until it ends, so its work can
  // rely on the snapshot.
  base::Outcome<void> follow(db::Transaction& transaction);
  // Failures go to the log, and it tries again with the next change or call.
  void follow_or_log();

 private:
  base::Outcome<std::shared_ptr<const Snapshot>> next(
      const std::shared_ptr<const Snapshot>& last) const;

  db::Database& database_;
  base::Log log_;
  const bool only_vouched_;
  const std::string node_;
  Published<Snapshot> published_;
  std::atomic<bool> failing_ = false;
};

}  // namespace vantro::repository
