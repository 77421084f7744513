#include "upkeep/recovery.h"

#include <array>
#include <cerrno>
#include <chrono>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <map>
#include <set>
#include <unistd.h>

#include "crypto/digests.h"
#include "gate/inventory.h"

namespace vantro::upkeep {
namespace {

using base::Kind;

// So many lost files are named in the log; the others are counted.
constexpr std::size_t kMostNamed = 100;

base::Outcome<void> clear_arriving(gate::Repository& repository, base::WallTime now,
                                   const base::Log& log, RecoveryReport& report) {
  const auto files = repository.folder.list_arriving();
  if (!files) return base::refuse(files.error());
  gate::Inventory inventory(repository);
  if (auto loaded = inventory.reload(now); !loaded) return loaded;
  for (const auto& file : *files) {
    const auto label = store::ArrivalLabel::parse(file.name);
    const bool sealed = label && label->purpose == "sealed";
    if (!label || (label->purpose != "backup" && !sealed) || file.size == 0) {
      repository.folder.remove_arriving(file.name);
      ++report.removed;
      log.warning("an upload that the last stop cut off was removed",
                  {{"file", file.name}});
      continue;
    }
    if (!repository.folder.to_partial(file.name)) {
      return base::refuse(
          base::system_refusal(errno, file.name + ": can't be set aside"));
    }
    backup::Revision revision;
    revision.address = label->from;
    const auto address = base::Address::parse(label->from);
    revision.holder =
        address ? inventory.holder_of(*address) : backup::Holder{0, label->from};
    revision.name = label->name;
    revision.size = file.size;
    if (sealed) {
      const base::UniqueFd opened(
          ::open((repository.folder.path() + "/partial/" + file.name).c_str(),
                 O_RDONLY | O_CLOEXEC));
      revision.size = crypto::sealed_size(opened.get()).value_or(0);
    }
    revision.partial_file = file.name;
    revision.arrived_at = now;
    revision.why = "the server stopped while it was being received";
    auto filed = repository.database->write(
        [&](db::Transaction& t) -> base::Outcome<backup::Added> {
          return backup::Backups::add(t, revision);
        });
    if (!filed) return base::refuse(filed.error());
    ++report.set_aside;
    log.warning("a backup that the last stop cut off was kept as partial",
                {{"device", revision.address},
                 {"name", revision.name},
                 {"bytes", revision.size}});
  }
  return {};
}

// A backup that was being continued has left partial/, and its end may have come before
// its record said so.
base::Outcome<void> forget_gone_partials(gate::Repository& repository) {
  const auto files = repository.folder.list_partial();
  if (!files) return base::refuse(files.error());
  std::set<std::string> there;
  for (const auto& file : *files) there.insert(file.name);
  const auto recorded = repository.backups.partial_files();
  if (!recorded) return base::refuse(recorded.error());
  for (const auto& name : *recorded) {
    if (there.contains(name)) continue;
    if (auto done = repository.backups.forget_partial_file(name); !done) return done;
  }
  return {};
}

// Until they are taken in again; verifying would find the same. In one transaction: a
// whole vault may be gone.
base::Outcome<void> mark_lost(gate::Repository& repository, const RecoveryReport& report,
                              base::WallTime now) {
  if (report.missing.empty() && report.damaged.empty()) return {};
  return repository.database->write([&](db::Transaction& t) -> base::Outcome<void> {
    for (const auto* lost : {&report.missing, &report.damaged}) {
      for (const auto& sha256 : *lost) {
        catalog::Catalog::mark_read(t, sha256, false, now);
        backup::Backups::mark_read(t, sha256, false, now);
        catalog::Documents::mark_read(t, sha256, false);
      }
    }
    return {};
  });
}

base::Outcome<void> reconcile(gate::Repository& repository, base::WallTime now,
                              const base::Log& log, RecoveryReport& report) {
  const auto files = repository.folder.list_vault();
  if (!files) return base::refuse(files.error());
  std::map<std::string, std::uint64_t> stored;
  std::set<std::string> sealed;
  for (const auto& file : *files) {
    if (file.sealed) {
      sealed.insert(file.name);
    } else {
      stored.emplace(file.name, file.size);
    }
  }

  std::map<std::string, std::uint64_t> recorded;
  for (const auto& contents :
       {repository.catalog.contents(), repository.backups.contents()}) {
    if (!contents) return base::refuse(contents.error());
    recorded.insert(contents->begin(), contents->end());
  }

  for (const auto& [sha256, size] : recorded) {
    const auto found = stored.find(sha256);
    if (found == stored.end()) {
      // What is in an encrypted one is seen when it is read.
      if (sealed.contains(sha256)) continue;
      report.missing.push_back(sha256);
      if (report.missing.size() > kMostNamed) continue;
      log.error("a recorded file is gone from vault/",
                {{"sha256", sha256}, {"bytes", size}});
    } else if (found->second != size) {
      report.damaged.push_back(sha256);
      log.error("a file in vault/ has the wrong size and was moved to quarantine/",
                {{"sha256", sha256}, {"bytes", found->second}, {"recorded", size}});
      if (auto moved = repository.folder.to_quarantine(sha256); !moved) return moved;
    }
  }
  if (report.missing.size() > kMostNamed) {
    log.error("more recorded files are gone from vault/",
              {{"files", report.missing.size() - kMostNamed}});
  }
  if (auto marked = mark_lost(repository, report, now); !marked) return marked;
  for (const auto& file : *files) {
    if (recorded.contains(file.name)) continue;
    ++report.unrecorded;
    log.warning("a file in vault/ without a record was moved to partial/",
                {{"sha256", file.name}, {"bytes", file.size}});
    if (auto moved = repository.folder.vault_to_partial(file); !moved) return moved;
  }
  return {};
}

struct Read {
  store::StoredFile file;
  std::uint64_t size = 0;  // of the plain bytes
  crypto::Digests digests;
};

base::Outcome<Read> read_whole(const store::StateFolder& folder,
                               const store::StoredFile& file) {
  const base::UniqueFd opened(
      ::open(folder.vault_file(file.name, file.sealed).c_str(), O_RDONLY | O_CLOEXEC));
  if (!opened) return base::refuse(base::system_refusal(errno, file.name));
  Read result{file, 0, {}};
  crypto::Digester digester;
  auto read = store::read_plain(opened.get(), file.sealed ? folder.keys() : nullptr,
                                false, [&](base::ByteView bytes) -> base::Outcome<void> {
                                  digester.update(bytes);
                                  result.size += bytes.size();
                                  return {};
                                });
  if (!read && read.error().kind != Kind::kCorrupt) return base::refuse(read.error());
  result.digests = digester.finish();
  return result;
}

// What is known of a file whose record is lost: its bytes. Encrypted are backups only.
base::Outcome<void> record_anew(db::Transaction& t, const Read& read,
                                base::WallTime now) {
  const auto name = "recovered-" + read.file.name.substr(0, 12);
  if (read.file.sealed) {
    backup::Revision revision;
    revision.holder = {0, "recovered"};
    revision.address = "recovered";
    revision.name = name;
    revision.complete = true;
    revision.size = read.size;
    revision.digests = read.digests;
    revision.arrived_at = now;
    revision.kind = backup::FileKind::kConfiguration;
    revision.text = true;
    backup::Backups::add(t, std::move(revision));
    return {};
  }
  catalog::Image image;
  image.name = name;
  image.size = read.size;
  image.digests = read.digests;
  image.taken_in_at = now;
  image.taken_in_by = "recovery";
  auto added = catalog::Catalog::add(t, std::move(image));
  return added ? base::Outcome<void>() : base::refuse(added.error());
}

}  // namespace

bool RecoveryReport::clean() const {
  return removed == 0 && set_aside == 0 && unrecorded == 0 && missing.empty() &&
         damaged.empty();
}

base::Outcome<RecoveryReport> recover(gate::Repository& repository, base::WallTime now,
                                      const base::Log& log) {
  RecoveryReport report;
  if (auto cleared = clear_arriving(repository, now, log, report); !cleared) {
    return base::refuse(cleared.error());
  }
  if (auto forgotten = forget_gone_partials(repository); !forgotten) {
    return base::refuse(forgotten.error());
  }
  if (auto reconciled = reconcile(repository, now, log, report); !reconciled) {
    return base::refuse(reconciled.error());
  }
  return report;
}

base::Outcome<std::size_t> sweep_partial(gate::Repository& repository, base::WallTime now,
                                         std::chrono::hours keep, const base::Log& log) {
  const auto files = repository.folder.list_partial();
  if (!files) return base::refuse(files.error());
  const auto oldest = now - std::chrono::milliseconds(keep).count();
  std::size_t swept = 0;
  for (const auto& file : *files) {
    if (file.changed_at >= oldest) continue;
    if (auto forgotten = repository.backups.forget_partial_file(file.name); !forgotten) {
      return base::refuse(forgotten.error());
    }
    repository.folder.remove_partial(file.name);
    ++swept;
    log.info("a partial file was kept long enough and is removed", {{"file", file.name}});
  }
  return swept;
}

base::Outcome<void> rebuild_database(const std::string& state, crypto::SealKeys keys,
                                     base::WallTime now, const base::Log& log) {
  std::vector<Read> sound;
  {
    auto folder = store::StateFolder::open(state);
    if (!folder) return base::refuse(folder.error());
    folder->use_keys(std::move(keys));
    const auto files = folder->list_vault();
    if (!files) return base::refuse(files.error());
    for (const auto& file : *files) {
      auto read = read_whole(*folder, file);
      if (!read) return base::refuse(read.error());
      if (read->digests.sha256 != file.name) {
        log.error("a file in vault/ is damaged and was moved to quarantine/",
                  {{"sha256", file.name}});
        if (auto moved = folder->to_quarantine(file.name); !moved) return moved;
        continue;
      }
      sound.push_back(std::move(*read));
    }
    for (const auto* part : {"", "-wal", "-shm"}) {
      const auto from = folder->database() + part;
      const auto to = fmt::format("{}.damaged-{}{}", folder->database(), now, part);
      std::error_code error;
      std::filesystem::rename(from, to, error);
      if (error && error != std::errc::no_such_file_or_directory) {
        return base::refuse(Kind::kIo, from + " can't be put aside: " + error.message());
      }
      if (!error) log.warning("the old database was put aside", {{"file", to}});
    }
    auto database = db::Database::open(folder->database());
    if (!database) return base::refuse(database.error());
    auto recorded = (*database)->write([&](db::Transaction& t) -> base::Outcome<void> {
      for (const auto& read : sound) {
        if (auto done = record_anew(t, read, now); !done) return done;
      }
      return {};
    });
    if (!recorded) return recorded;
  }
  log.warning("the database was made anew; take images in again to give them their names",
              {{"files", sound.size()}});
  return {};
}

}  // namespace vantro::upkeep
