// What requests look at without the database: offers, accounts, people, devices, and
// backups on offer, as they were after one commit. They follow the change log.
#pragma once

#include <cstdint>
#include <memory>

#include "auth/accounts.h"
#include "auth/people.h"
#include "backup/backup_offers.h"
#include "base/log.h"
#include "base/outcome.h"
#include "catalog/offer_index.h"
#include "db/database.h"
#include "fleet/devices.h"
#include "jobs/jobs.h"
#include "jobs/rescue/session.h"
#include "repository/published.h"

namespace vantro::repository {

struct Snapshot {
  std::int64_t sequence = 0;  // of the change log: all up to it is in here
  // Never null.
  std::shared_ptr<const catalog::OfferIndex> offers;
  std::shared_ptr<const auth::AccountIndex> accounts;
  std::shared_ptr<const auth::PeopleIndex> people;
  std::shared_ptr<const fleet::DeviceIndex> devices;
  std::shared_ptr<const backup::BackupOfferIndex> backup_offers;
  std::shared_ptr<const jobs::JobIndex> jobs;  // those that are open
  std::shared_ptr<const jobs::rescue::Index> rescues;
};

// Thread-safe; the database must outlive it.
class Snapshots {
 public:
  // `only_vouched`: as catalog::OfferIndex has it.
  Snapshots(db::Database& database, base::Log log, bool only_vouched)
      : database_(database), log_(std::move(log)), only_vouched_(only_vouched) {}

  // REQUIRES: follow() has succeeded once.
  std::shared_ptr<const Snapshot> get() const { return published_.get(); }

  // Brings it up to what is committed: the first time by reading all, then by reading
  // what has changed. The database calls it after each commit that changed something.
  base::Outcome<void> follow();
  // The same in a write transaction: nobody else commits until it ends, so the snapshot
  // is then what its work may go by.
  base::Outcome<void> follow(db::Transaction& transaction);
  // What fails goes to the log, and is tried again with the next change or call.
  void follow_or_log();

 private:
  base::Outcome<std::shared_ptr<const Snapshot>> next(
      const std::shared_ptr<const Snapshot>& last) const;

  db::Database& database_;
  base::Log log_;
  const bool only_vouched_;
  Published<Snapshot> published_;
};

}  // namespace vantro::repository
