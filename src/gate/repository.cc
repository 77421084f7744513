#include "gate/repository.h"

#include <fmt/format.h>
#include <sys/stat.h>

#include "base/sizes.h"
#include "crypto/secret.h"

namespace vantro::gate {

using base::Kind;

namespace {

// SQLite's smallest page: a file with less holds nothing yet, and would be taken for new.
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
  return fmt::format("vault/ holds {} {} ({}), the newest from {}", vault.size(),
                     vault.size() == 1 ? "file" : "files", base::size_text(bytes),
                     base::local_time(newest));
}

// A new database beside a vault that has known another one is never begun by itself.
base::Outcome<void> check_presence(const store::StateFolder& folder) {
  struct stat found {};
  const bool missing = ::stat(folder.database().c_str(), &found) != 0;
  if (!missing && found.st_size >= kSmallestDatabase) return {};
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
      fmt::format(
          "{} {}, but {}{}. Nothing was changed. Put a copy of the database back, "
          "or start once with --recover-database to record the files again",
          folder.database(),
          missing              ? "is missing"
          : found.st_size == 0 ? "is empty"
                               : fmt::format("has only {} bytes", found.st_size),
          vault_sentence(*vault), known));
}

base::Outcome<void> check_identity(const store::StateFolder& folder,
                                   const std::optional<base::StateIdentity>& database) {
  const auto vault = folder.identity().read();
  // A vault of a time before there were identities; or one that was copied without it.
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
  // Not kCorrupt: the database is sound, and nothing is to be rebuilt.
  return base::refuse(
      Kind::kInvalid,
      fmt::format(
          "{} {}; {}. Nothing was changed. Put the newer database back, or start "
          "once with --accept-older-database: files that it does not know stay in "
          "vault/ until you decide about them",
          folder.database(), what, vault_sentence(*files)));
}

}  // namespace

base::Outcome<std::unique_ptr<db::Database>> Repository::open_database(
    store::StateFolder& folder, bool accept_older, const base::Log& log) {
  db::Watch watch;
  watch.new_id = crypto::random_hex(16);
  watch.belongs = [&](const auto& identity) -> base::Outcome<void> {
    if (accept_older) return {};
    return check_identity(folder, identity);
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
          "the disk is full; the room that is kept for changes is used now, and "
          "uploads are refused until there is space again");
    }
    return made;
  };
  const auto before = folder.identity().read();
  auto database = db::Database::open(folder.database(), std::move(watch));
  if (!database) return database;
  const auto ahead = before ? before->change : 0;
  if (auto noted = (*database)->continue_behind(ahead); !noted) {
    // A full disk must not keep devices from fetching.
    if (noted.error().kind != Kind::kFull) return base::refuse(noted.error());
    log.error("the database can't be written", {{"why", noted.error().sentence}});
  }
  return database;
}

base::Outcome<std::unique_ptr<Repository>> Repository::open(const std::string& state,
                                                            const base::Log& log,
                                                            bool accept_older) {
  auto opened = store::StateFolder::open(state);
  if (!opened) return base::refuse(opened.error());
  auto folder = std::make_unique<store::StateFolder>(std::move(*opened));
  if (auto present = check_presence(*folder); !present) {
    return base::refuse(present.error());
  }
  folder->reserve().keep(folder->free_bytes());
  auto database = open_database(*folder, accept_older, log);
  if (!database) {
    auto refusal = database.error();
    if (refusal.kind == Kind::kCorrupt) {
      refusal.sentence +=
          "; the files in vault/ are untouched. Put a sound copy of the database in its "
          "place, or start once with --recover-database to record the files anew";
    }
    return base::refuse(std::move(refusal));
  }
  return std::make_unique<Repository>(std::move(folder), std::move(*database), log);
}

bool Repository::is_recorded(db::Transaction& t, const std::string& sha256) {
  return !t.query(
               "select 1 from revisions where sha256 = :a union all select 1 from images "
               "where sha256 = :b union all select 1 from documents where sha256 = :c "
               "limit 1",
               {sha256, sha256, sha256})
              .empty();
}

void Repository::mark_content(db::Transaction& t, const std::string& sha256, bool whole,
                              base::WallTime now) {
  catalog::Catalog::mark_read(t, sha256, whole, now);
  backup::Backups::mark_read(t, sha256, whole, now);
  catalog::Documents::mark_read(t, sha256, whole);
}

bool Repository::mend_content(db::Transaction& t, const std::string& sha256,
                              base::WallTime now) {
  const bool lost =
      !t.query(
            "select 1 from images where sha256 = :a and whole = 0 union all select 1 "
            "from "
            "revisions where sha256 = :b and whole = 0 union all select 1 from documents "
            "where sha256 = :c and whole = 0 limit 1",
            {sha256, sha256, sha256})
           .empty();
  if (lost) mark_content(t, sha256, true, now);
  return lost;
}

void Repository::remove_if_unrecorded(const std::string& sha256) {
  // Nobody may file the same bytes between the look for who has them and their removal.
  const std::lock_guard lock(vault_mutex);
  if (unrecorded.find(sha256)) return;
  const auto recorded = database->read(
      [&](db::Transaction& t) -> base::Outcome<bool> { return is_recorded(t, sha256); });
  if (recorded && !*recorded) folder.remove_stored(sha256);
}

}  // namespace vantro::gate
