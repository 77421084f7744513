// Everything that is kept, opened together.
#pragma once

#include <memory>
#include <shared_mutex>
#include <string>

#include "backup/backup_offers.h"
#include "backup/backups.h"
#include "base/log.h"
#include "base/outcome.h"
#include "catalog/catalog.h"
#include "catalog/documents.h"
#include "catalog/kits.h"
#include "catalog/offers.h"
#include "catalog/vouches.h"
#include "db/database.h"
#include "fleet/devices.h"
#include "ledger/ledger.h"
#include "store/state_folder.h"

namespace vantro::gate {

struct Repository {
  // Makes what is missing and brings the schema up to date. What a crash left behind is
  // upkeep's to clear. A vault with files but without a database is refused with
  // kCorrupt: a new database would not know them.
  static base::Outcome<std::unique_ptr<Repository>> open(const std::string& state,
                                                         const base::Log& log);

  Repository(store::StateFolder state_folder, std::unique_ptr<db::Database> db,
             const base::Log& log)
      : folder(std::move(state_folder)),
        database(std::move(db)),
        catalog(*database),
        offers(*database),
        vouches(*database),
        documents(*database),
        kits(*database),
        backups(*database),
        backup_offers(*database),
        devices(*database),
        ledger(*database, log) {}

  store::StateFolder folder;
  std::unique_ptr<db::Database> database;
  catalog::Catalog catalog;
  catalog::Offers offers;
  catalog::Vouches vouches;
  catalog::Documents documents;
  catalog::Kits kits;
  backup::Backups backups;
  backup::BackupOffers backup_offers;
  fleet::Devices devices;
  ledger::Ledger ledger;

  // Held shared from before bytes are moved into the vault until their record is
  // committed, and alone while bytes without a record are removed from it.
  std::shared_mutex vault_mutex;
};

}  // namespace vantro::gate
