#include "repository/repository.h"

#include <fmt/format.h>
#include <sys/stat.h>

#include "base/sizes.h"
#include "crypto/secret.h"

namespace vantro::repository {

using base::Kind;

namespace {

// SQLite's smallest page: a smaller file holds nothing yet, and would be taken for a new
// one.
constexpr std::int64_t kSmallestDatabase = 512;

// "vault/ holds 112 files (3.1 GiB), the newest from 2026-11-27 05:12"
std::string vault_sentence(const std::vector<store::StoredFile>& vault) {
  std::uint64_t bytes = 0;
  base::WallTime newest = 0;
  for (const auto& file : vault) {
    bytes += file.size;
    newest = std::max(newest, file.changed_at);
  }
  if (vault.empty()) return "vault/ holds no files";
  return fmt::format("vault/ has {} {} ({}), the newest from {}", vault.size(),
                     vault.size() == 1 ? "file" : "files", base::size_text(bytes),
                     base::local_time(newest));
}

// A new database beside a vault that belonged to another one is never begun
// automatically. `found`: "vantro.db is missing".
base::Outcome<void> check_vault_is_new(const store::StateFolder& folder,
                                       const std::string& found) {
  const auto vault = folder.list_vault();
  if (!vault) return base::refuse(vault.error());
  const auto last = folder.identity().read();
  if (vault->empty() && !last) return {};
  std::string known;
  if (last && last->change > 0) {
    known = fmt::format(", and its database was last written on {}",
                        base::local_time(last->at));
  }
  return base::refuse(
      Kind::kCorrupt,
      fmt::format("{}, but {}{}. Nothing was changed. Put a copy of the database back, "
                  "or start once with --recover-database to record the files again",
                  found, vault_sentence(*vault), known));
}

// The same for a file, before it is made.
base::Outcome<void> check_presence(const store::StateFolder& folder) {
  const auto file = folder.database();
  struct stat found {};
  if (::stat(file.c_str(), &found) != 0) {
    return check_vault_is_new(folder, file + " is missing");
  }
  if (found.st_size >= kSmallestDatabase) return {};
  return check_vault_is_new(
      folder, found.st_size == 0
                  ? file + " is empty"
                  : fmt::format("{} has only {} bytes", file, found.st_size));
}

// `vault`: read before the database, as another node may commit in between.
base::Outcome<void> check_identity(const store::StateFolder& folder,
                                   const std::string& shown,
                                   const std::optional<base::StateIdentity>& vault,
                                   const std::optional<base::StateIdentity>& database) {
  // A vault from before identities existed; or one that was copied without its identity.
  if (!vault) return {};
  const bool same = database && database->id == vault->id;
  if (same && database->change >= vault->change) return {};
  const auto files = folder.list_vault();
  if (!files) return base::refuse(files.error());
  std::string what = "belongs to another state folder";
  if (!database) {
    what = fmt::format(
        "is older than vault/: an earlier vantrod wrote it, and vault/ has changes up to "
        "{}",
        base::local_time(vault->at));
  } else if (same) {
    what = fmt::format(
        "is older than vault/: it was last written on {}, and vault/ has changes up to "
        "{}",
        base::local_time(database->at), base::local_time(vault->at));
  }
  // Not kCorrupt: the database is sound, and must not be rebuilt.
  return base::refuse(
      Kind::kInvalid,
      fmt::format(
          "{} {}; {}. Nothing was changed. Put the newer database back, or start "
          "once with --accept-older-database: files that it does not know stay in "
          "vault/ until you decide about them",
          shown, what, vault_sentence(*files)));
}

}  // namespace

base::Outcome<std::unique_ptr<db::Database>> Repository::open_database(
    store::StateFolder& folder, const Opening& opening, const base::Log& log) {
  const auto before = folder.identity().read();
  db::Watch watch;
  watch.new_id = crypto::random_hex(16);
  const auto where = opening.database.empty() ? folder.database() : opening.database;
  watch.belongs = [&](const auto& identity) -> base::Outcome<void> {
    if (opening.accept_older) return {};
    return check_identity(folder, db::Database::shown(where), before, identity);
  };
  watch.begins = [&]() -> base::Outcome<void> {
    // A file was looked at before.
    if (opening.database.empty() || opening.accept_older) return {};
    return check_vault_is_new(folder,
                              fmt::format("the {} is empty", db::Database::shown(where)));
  };
  watch.committed = [&folder, log](const base::StateIdentity& identity) {
    if (auto written = folder.identity().write(identity); !written) {
      log.warning("the vault's identity can't be written",
                  {{"why", written.error().sentence}});
    }
  };
  watch.make_room = [&folder, log] {
    const bool made = folder.reserve().give_up();
    if (made) {
      log.error(
          "the disk is full; the reserve for changes is used now, and uploads are "
          "refused until there is space again");
    }
    return made;
  };
  auto database = db::Database::open(where, std::move(watch));
  if (!database) return database;
  const auto ahead = before ? before->change : 0;
  if (auto noted = (*database)->continue_behind(ahead); !noted) {
    // A full disk must not stop devices from fetching.
    if (noted.error().kind != Kind::kFull) return base::refuse(noted.error());
    log.error("the database can't be written", {{"why", noted.error().sentence}});
  }
  return database;
}

Repository::Repository(std::unique_ptr<store::StateFolder> state_folder,
                       std::unique_ptr<db::Database> db, const base::Clock& the_clock,
                       const base::Log& the_log, Rules the_rules)
    : clock(the_clock),
      log(the_log),
      rules(std::move(the_rules)),
      mark_key(crypto::random_hex(32)),
      own_folder(std::move(state_folder)),
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
      jobs(*database),
      rescues(*database),
      accounts(*database),
      people(*database),
      ledger(*database, log, folder.own() + "/ledger-waiting"),
      change_log(*database),
      nodes(*database, clock),
      snapshots(*database, log, rules.only_vouched, folder.node()),
      contents(*this),
      inventory(*this),
      missing_digests(*this),
      filing(*this) {
  database->on_change([this] { snapshots.follow_or_log(); });
}

Repository::~Repository() { database->on_change(nullptr); }

base::Outcome<std::unique_ptr<Repository>> Repository::open(
    const std::string& state, const base::Clock& clock, const base::Log& log, Rules rules,
    const Opening& opening, store::FileSystem& files) {
  auto opened = store::StateFolder::open(state, files, opening.node);
  if (!opened) return base::refuse(opened.error());
  auto folder = std::make_unique<store::StateFolder>(std::move(*opened));
  if (opening.database.empty()) {
    if (auto present = check_presence(*folder); !present) {
      return base::refuse(present.error());
    }
  }
  folder->reserve().keep(folder->free_bytes());
  auto database = open_database(*folder, opening, log);
  if (!database) {
    auto refusal = database.error();
    if (refusal.kind == Kind::kCorrupt) {
      refusal.sentence +=
          "; the files in vault/ are untouched. Put a good copy of the database in its "
          "place, or start once with --recover-database to record the files again";
    }
    return base::refuse(std::move(refusal));
  }
  auto repository = std::make_unique<Repository>(std::move(folder), std::move(*database),
                                                 clock, log, std::move(rules));
  if (auto read = repository->snapshots.follow(); !read) {
    return base::refuse(read.error());
  }
  return repository;
}

const backup::KeepRule& Rules::keep(backup::FileKind kind) const {
  switch (kind) {
    case backup::FileKind::kConfiguration:
      return keep_configurations;
    case backup::FileKind::kImage:
      return keep_images;
    case backup::FileKind::kReport:
    case backup::FileKind::kOther:
    case backup::FileKind::kUnknown:
      return keep_others;
  }
  return keep_others;
}

void Repository::record_event(const std::string& event, const By& by,
                              const std::string& sentence, const std::string& name,
                              const std::string& outcome) {
  ledger::Entry entry;
  entry.at = clock.wall();
  entry.event = event;
  entry.actor = by.name;
  entry.from = by.from;
  if (!by.from.empty()) entry.protocol = "manage";
  entry.name = name;
  entry.outcome = outcome;
  entry.sentence = sentence;
  entry.request = by.request;
  ledger.append(std::move(entry));
}

base::Outcome<void> Repository::end_expired_offers() {
  return database->write([&](db::Transaction& t) -> base::Outcome<void> {
    for (const auto& offer : catalog::Offers::end_expired(t, clock.wall())) {
      ledger::Entry entry;
      entry.at = *offer.until;
      entry.event = "offer-end";
      entry.actor = "server";
      entry.name = offer.name;
      entry.sha256 = offer.image.digests.sha256;
      entry.outcome = "done";
      entry.sentence =
          fmt::format("its time was over; its image was '{}'", offer.image.name);
      ledger::Ledger::record(t, entry);
    }
    return {};
  });
}

}  // namespace vantro::repository
