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
#include "gate/unrecorded.h"
#include "ledger/ledger.h"
#include "store/state_folder.h"

namespace vantro::gate {

struct Repository {
  // Makes what is missing and brings the schema up to date. What a crash left behind is
  // upkeep's to clear. kCorrupt: the database is damaged, or missing where vault/ has
  // files that a new one would not know. kInvalid: it is not the vault's, or an older
  // copy of it, unless that is accepted.
  static base::Outcome<std::unique_ptr<Repository>> open(const std::string& state,
                                                         const base::Log& log,
                                                         bool accept_older = false);
  // The database of a folder alone. The folder must outlive it.
  static base::Outcome<std::unique_ptr<db::Database>> open_database(
      store::StateFolder& folder, bool accept_older, const base::Log& log);

  Repository(std::unique_ptr<store::StateFolder> state_folder,
             std::unique_ptr<db::Database> db, const base::Log& log)
      : own_folder(std::move(state_folder)),
        folder(*own_folder),
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

  // Whether anything has these bytes.
  static bool is_recorded(db::Transaction& transaction, const std::string& sha256);
  // What is stored under this SHA-256 was read: it is what it was, or not.
  static void mark_content(db::Transaction& transaction, const std::string& sha256,
                           bool whole, base::WallTime now);
  // These bytes have just come into the vault: what was lost of them is whole again.
  // Whether anything was.
  static bool mend_content(db::Transaction& transaction, const std::string& sha256,
                           base::WallTime now);
  // From the vault, for good, unless somebody has them or is to decide about them.
  void remove_if_unrecorded(const std::string& sha256);

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
  ledger::Ledger ledger;

  Unrecorded unrecorded;

  // Held shared from before bytes are moved into the vault until their record is
  // committed, and alone while bytes without a record are removed from it.
  std::shared_mutex vault_mutex;
};

}  // namespace vantro::gate
