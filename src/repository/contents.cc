#include "repository/contents.h"

#include "repository/repository.h"

namespace vantro::repository {
namespace {

bool was_lost(db::Transaction& t, const std::string& sha256) {
  return !t.query(
               "select 1 from images where sha256 = :a and whole = 0 union all select 1 "
               "from revisions where sha256 = :b and whole = 0 union all select 1 from "
               "documents where sha256 = :c and whole = 0 limit 1",
               {sha256, sha256, sha256})
              .empty();
}

}  // namespace

bool Contents::is_recorded(db::Transaction& t, const std::string& sha256) {
  return !t.query(
               "select 1 from revisions where sha256 = :a union all select 1 from images "
               "where sha256 = :b union all select 1 from documents where sha256 = :c "
               "limit 1",
               {sha256, sha256, sha256})
              .empty();
}

void Contents::mark(db::Transaction& t, const std::string& sha256, bool whole,
                    base::WallTime now) {
  catalog::Catalog::mark_read(t, sha256, whole, now);
  backup::Backups::mark_read(t, sha256, whole, now);
  catalog::Documents::mark_read(t, sha256, whole);
}

void Contents::mend(db::Transaction& t, const std::string& sha256, base::WallTime now) {
  if (was_lost(t, sha256)) mark(t, sha256, true, now);
}

void Contents::remove_if_unrecorded(const std::string& sha256) {
  // Nobody may file the same bytes between the search for their users and their removal.
  const std::lock_guard lock(repository_.vault_mutex);
  if (repository_.unrecorded.find(sha256)) return;
  // As a writer: whoever wrote before has ended, also if the answer to its commit was
  // lost. Rolled back, as nothing is written: a full disk must not keep the bytes.
  static_cast<void>(
      repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
        if (!is_recorded(t, sha256)) repository_.folder.remove_stored(sha256);
        return base::refuse(base::Kind::kInvalid, "nothing to write");
      }));
}

base::Outcome<void> Contents::still_there(db::Transaction& /*transaction*/,
                                          const std::string& sha256) const {
  // Without others, the vault's mutex is enough.
  if (repository_.folder.node().empty()) return {};
  if (const auto there = repository_.folder.open_as_it_lies(sha256);
      there || there.error().kind != base::Kind::kCorrupt) {
    return {};
  }
  return base::refuse(base::Kind::kBusy,
                      "the same bytes were removed at this moment; send it again");
}

base::Outcome<void> Contents::whole(const std::string& sha256) {
  return repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
    mark(t, sha256, true, repository_.clock.wall());
    return {};
  });
}

base::Outcome<bool> Contents::lost(const std::string& sha256,
                                   const store::StoredHandle& read,
                                   const std::string& found) {
  std::string names;
  bool recorded = false;
  bool replaced = false;
  std::optional<base::Outcome<void>> moved;
  {
    // Nobody files the same bytes between this look and the move.
    const std::lock_guard lock(repository_.vault_mutex);
    const auto now = repository_.clock.wall();
    auto marked =
        repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
          // As the only writer of all nodes: whoever files the same bytes looks for them
          // in a transaction after this one.
          replaced = !moved && !repository_.folder.is_stored(sha256, read);
          if (replaced) return {};
          // Removed on purpose while it was read.
          recorded = is_recorded(t, sha256);
          if (!recorded) return {};
          mark(t, sha256, false, now);
          names = names_of(t, sha256);
          ledger::Entry entry;
          entry.at = now;
          entry.event = "damage-found";
          entry.actor = "server";
          entry.name = names;
          entry.sha256 = sha256;
          entry.outcome = "failed";
          entry.sentence = found;
          ledger::Ledger::record(t, entry);
          if (read.file && !moved) moved = repository_.folder.to_quarantine(sha256);
          return {};
        });
    if (!marked) return base::refuse(marked.error());
    if (replaced || !recorded) return false;
  }
  repository_.log.error("stored bytes no longer match their checksum; they are off offer",
                        {{"name", names}, {"sha256", sha256}, {"found", found}});
  if (moved && !*moved) return base::refuse(moved->error());
  return true;
}

std::string Contents::names_of(db::Transaction& transaction, const std::string& sha256) {
  std::string names;
  for (const auto& row : transaction.query(
           "select n.name from image_names n join images i on i.id = n.image "
           "where i.sha256 = :a union all "
           "select coalesce(v.name, f.address) || ':' || f.name || ' revision ' || "
           "r.number from revisions r join backup_files f on f.id = r.file left join "
           "devices v on v.id = f.device where r.sha256 = :b union all "
           "select d.name from documents d where d.sha256 = :c",
           {sha256, sha256, sha256})) {
    names += (names.empty() ? "" : ", ") + row.text(0);
  }
  return names;
}

std::string Contents::names_of(const std::string& sha256) const {
  auto names =
      repository_.database->read([&](db::Transaction& t) -> base::Outcome<std::string> {
        return names_of(t, sha256);
      });
  return names ? *names : sha256;
}

}  // namespace vantro::repository
