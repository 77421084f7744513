// The whole state, opened together, and how it is written.
#pragma once

#include <memory>
#include <shared_mutex>
#include <string>

#include "auth/accounts.h"
#include "auth/people.h"
#include "backup/backup_offers.h"
#include "backup/backups.h"
#include "backup/retention.h"
#include "backup/treatment.h"
#include "base/clock.h"
#include "base/log.h"
#include "base/outcome.h"
#include "catalog/catalog.h"
#include "catalog/documents.h"
#include "catalog/kits.h"
#include "catalog/offers.h"
#include "catalog/vouches.h"
#include "db/database.h"
#include "fleet/devices.h"
#include "jobs/jobs.h"
#include "ledger/ledger.h"
#include "repository/by.h"
#include "repository/change_log.h"
#include "repository/contents.h"
#include "repository/filing.h"
#include "repository/inventory.h"
#include "repository/missing_digests.h"
#include "repository/nodes.h"
#include "repository/snapshots.h"
#include "repository/troubles.h"
#include "repository/unrecorded.h"
#include "store/state_folder.h"

namespace vantro::repository {

// From the settings.
struct Rules {
  // How backups are told apart, compared and shown.
  backup::Treatment treatment;
  // How long backups are kept. Nothing is removed except by thinning.
  backup::KeepRule keep_configurations;
  backup::KeepRule keep_images;
  backup::KeepRule keep_others;
  // Unvouched images are not handed out.
  bool only_vouched = false;

  const backup::KeepRule& keep(backup::FileKind kind) const;
};

struct Opening {
  std::string database = {};  // "postgresql://..."; empty: a file in the state folder
  // Also a database that is not the vault's, or an older copy of it.
  bool accept_older = false;
  // The name of this node, if several may work on one state; empty: it is the only one.
  std::string node = {};
};

struct Repository {
  // Makes missing parts, migrates the schema, and reads the first snapshot. Clearing up
  // after a crash is up to upkeep. kCorrupt: the database is damaged, or missing where
  // vault/ has files that a new one would not know. kInvalid: it is not the vault's, or
  // an older copy of it, unless that is accepted. Clock and file system must outlive it.
  static base::Outcome<std::unique_ptr<Repository>> open(
      const std::string& state, const base::Clock& clock, const base::Log& log,
      Rules rules = {}, const Opening& opening = {},
      store::FileSystem& files = store::system_files());
  // The database of a folder alone. The folder must outlive it.
  static base::Outcome<std::unique_ptr<db::Database>> open_database(
      store::StateFolder& folder, const Opening& opening, const base::Log& log);

  Repository(std::unique_ptr<store::StateFolder> state_folder,
             std::unique_ptr<db::Database> db, const base::Clock& the_clock,
             const base::Log& the_log, Rules the_rules);
  ~Repository();
  Repository(const Repository&) = delete;
  Repository& operator=(const Repository&) = delete;

  // The current snapshot for requests; never null.
  std::shared_ptr<const Snapshot> snapshot() const { return snapshots.get(); }
  std::shared_ptr<const catalog::OfferIndex> offer_index() const {
    return snapshot()->offers;
  }

  // Records an action or observation of the server, or a person's look or attempt, in the
  // ledger; it need not be on disk when this returns.
  void record_event(const std::string& event, const By& by, const std::string& sentence,
                    const std::string& name = "", const std::string& outcome = "done");
  // Ends expired offers in the records; devices get none from the moment of expiry
  // anyway.
  base::Outcome<void> end_expired_offers();

  const base::Clock& clock;
  base::Log log;
  const Rules rules;
  // The key for the marks of masked secrets; random at each start, never shown.
  const std::string mark_key;
  std::unique_ptr<store::StateFolder> own_folder;
  store::StateFolder& folder;
  std::unique_ptr<db::Database> database;
  catalog::Catalog catalog;
  catalog::Offers offers;
  catalog::Vouches vouches;
  catalog::Documents documents;
  catalog::Kits kits;
  backup::Backups backups;
  backup::BackupOffers backup_offers;
  fleet::Devices devices;
  jobs::Jobs jobs;
  jobs::rescue::Sessions rescues;
  auth::Accounts accounts;
  auth::People people;
  ledger::Ledger ledger;
  ChangeLog change_log;
  Nodes nodes;

  Troubles troubles;
  Snapshots snapshots;
  Unrecorded unrecorded;
  Contents contents;
  Inventory inventory;
  MissingDigests missing_digests;
  Filing filing;

  // Held shared from before bytes are moved into the vault until their record is
  // committed, and alone while bytes without a record are removed from it.
  std::shared_mutex vault_mutex;
};

}  // namespace vantro::repository
