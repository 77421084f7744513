#include "upkeep/recovery.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <chrono>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <set>
#include <unistd.h>

#include "db/move.h"
#include "repository/inventory.h"
#include "repository/record_anew.h"
#include "store/part_file.h"

namespace vantro::upkeep {
namespace {

using base::Kind;

// `folder`: of this node, or of one that is gone.
base::Outcome<void> clear_arriving(repository::Repository& repository,
                                   const store::StateFolder& folder, base::WallTime now,
                                   const base::Log& log, RecoveryReport& report) {
  const auto files = folder.list_arriving();
  if (!files) return base::refuse(files.error());
  for (const auto& file : *files) {
    // No upload here was acknowledged: its record would have been committed after it had
    // left arriving/. Even a part of a backup may be all that is left of a device's
    // configuration, so it is kept; an image can be added again.
    const auto label = store::ArrivalLabel::parse(file.name);
    const bool sealed = label && label->purpose == "sealed";
    if (label && label->purpose == store::PartFile::kPurpose) {
      const auto back = store::PartFile::put_back(folder, file.name, label->name);
      if (!back) return back;
      continue;
    }
    if (!label || (label->purpose != "backup" && !sealed) || file.size == 0) {
      folder.remove_arriving(file.name);
      ++report.removed;
      log.warning("an upload that the last stop interrupted was removed",
                  {{"file", file.name}});
      continue;
    }
    // Moved first: a stop between the two leaves a partial file without a record, which
    // is listed for a person; in the other order a record would name a missing file.
    if (auto moved = folder.to_partial(file.name); !moved) return moved;
    backup::Revision revision;
    revision.address = label->from;
    const auto address = base::Address::parse(label->from);
    revision.holder = address ? repository.inventory.holder_of(*address)
                              : backup::Holder{0, label->from};
    revision.name = label->name;
    revision.size = file.size;
    if (sealed) {
      const base::UniqueFd opened(
          ::open((repository.folder.path() + "/partial/" + file.name).c_str(),
                 O_RDONLY | O_CLOEXEC));
      revision.size = crypto::sealed_size(opened.get()).value_or(0);
    }
    // Without a checksum, so nobody can resume it: after a power cut nothing proves that
    // these are the bytes that arrived.
    revision.partial_file = file.name;
    revision.arrived_at = now;
    revision.why = "the server stopped while it was being received";
    auto filed = repository.database->write(
        [&](db::Transaction& t) -> base::Outcome<backup::Added> {
          return backup::Backups::add(t, revision);
        });
    if (!filed) return base::refuse(filed.error());
    ++report.set_aside;
    log.warning("a backup that the last stop interrupted was kept as partial",
                {{"device", revision.address},
                 {"name", revision.name},
                 {"bytes", revision.size}});
  }
  return {};
}

// A backup that was being resumed has left partial/, and it may have been filed before
// its record said so. A file without a record is for a person to decide.
base::Outcome<void> compare_partials(
    repository::Repository& repository,
    std::vector<repository::UnrecordedFile>& unrecorded) {
  const auto files = repository.folder.list_partial();
  if (!files) return base::refuse(files.error());
  const auto names = repository.backups.partial_files();
  if (!names) return base::refuse(names.error());
  const std::set<std::string> recorded(names->begin(), names->end());
  std::set<std::string> there;
  for (const auto& file : *files) {
    there.insert(file.name);
    if (!recorded.contains(file.name)) unrecorded.push_back({true, file});
  }
  for (const auto& name : recorded) {
    if (there.contains(name)) continue;
    if (auto done = repository.backups.forget_partial_file(name); !done) return done;
  }
  return {};
}

base::Outcome<bool> others_live(const repository::Repository& repository) {
  if (repository.nodes.alone()) return false;
  const auto nodes = repository.nodes.list();
  if (!nodes) return base::refuse(nodes.error());
  return std::any_of(nodes->begin(), nodes->end(), [&](const auto& one) {
    return one.state == repository::Node::State::kAlive &&
           one.name != repository.nodes.self().name;
  });
}

}  // namespace

base::Outcome<RecoveryReport> clear_up(repository::Repository& repository,
                                       base::WallTime now, const base::Log& log) {
  RecoveryReport report;
  if (auto cleared = clear_arriving(repository, repository.folder, now, log, report);
      !cleared) {
    return base::refuse(cleared.error());
  }
  const auto others = others_live(repository);
  if (!others) return base::refuse(others.error());
  // They move files to partial/ and back all the time.
  if (*others) return report;
  repository.folder.unrecorded_to_vault();
  std::vector<repository::UnrecordedFile> unrecorded;
  if (auto compared = compare_partials(repository, unrecorded); !compared) {
    return base::refuse(compared.error());
  }
  report.unrecorded = unrecorded.size();
  repository.unrecorded.add(std::move(unrecorded));
  return report;
}

base::Outcome<bool> take_over(repository::Repository& repository, gate::Gate& gate,
                              const repository::Nodes::Fallen& fallen, base::WallTime now,
                              const base::Log& log) {
  auto folder = store::StateFolder::open(repository.folder.path(),
                                         repository.folder.files(), fallen.name);
  // It lives, and only its link to the database is broken; or another node is at it.
  if (!folder && folder.error().kind == Kind::kBusy) return false;
  if (!folder) return base::refuse(folder.error());
  folder->use_keys(*repository.folder.keys());
  const auto kept = gate.file_kept(*folder);
  if (!kept) return base::refuse(kept.error());
  RecoveryReport report;
  if (auto cleared = clear_arriving(repository, *folder, now, log, report); !cleared) {
    return base::refuse(cleared.error());
  }
  if (auto written =
          repository.ledger.write_left_behind(folder->own() + "/ledger-waiting");
      !written) {
    return base::refuse(written.error());
  }
  repository.record_event(
      "node-taken-over", "server",
      fmt::format("node '{}' is gone; cleared up by '{}': {} interrupted uploads kept as "
                  "partial, {} removed, {} complete ones filed",
                  fallen.name, repository.nodes.self().name, report.set_aside,
                  report.removed, *kept));
  return true;
}

base::Outcome<void> forget_recorded(repository::Repository& repository) {
  for (const auto& one : repository.unrecorded.list()) {
    if (one.partial) continue;
    const auto recorded =
        repository.database->read([&](db::Transaction& t) -> base::Outcome<bool> {
          return repository::Contents::is_recorded(t, one.file.name);
        });
    if (!recorded) return base::refuse(recorded.error());
    if (*recorded || !repository.folder.open_as_it_lies(one.file.name)) {
      repository.unrecorded.forget(one.file.name);
    }
  }
  return {};
}

base::Outcome<std::size_t> sweep_partial(repository::Repository& repository,
                                         base::WallTime now, std::chrono::hours keep,
                                         const base::Log& log) {
  const auto files = repository.folder.list_partial();
  if (!files) return base::refuse(files.error());
  const auto names = repository.backups.partial_files();
  if (!names) return base::refuse(names.error());
  const std::set<std::string> recorded(names->begin(), names->end());
  const auto oldest = now - std::chrono::milliseconds(keep).count();
  std::size_t swept = 0;
  for (const auto& file : *files) {
    // A file without a record is never removed because of its age.
    if (file.changed_at >= oldest || !recorded.contains(file.name)) continue;
    if (auto forgotten = repository.backups.forget_partial_file(file.name); !forgotten) {
      return base::refuse(forgotten.error());
    }
    repository.folder.remove_partial(file.name);
    ++swept;
    log.info("a partial file has expired and is removed", {{"file", file.name}});
  }
  return swept;
}

namespace {

// Not removed: a person may still get the names out of it. The -wal goes with it, else
// the new database would take it for its own.
base::Outcome<void> move_away(const std::string& file, base::WallTime now,
                              const base::Log& log) {
  for (const auto* part : {"", "-wal", "-shm"}) {
    const auto from = file + part;
    const auto to = fmt::format("{}.damaged-{}{}", file, now, part);
    std::error_code error;
    std::filesystem::rename(from, to, error);
    if (error && error != std::errc::no_such_file_or_directory) {
      return base::refuse(Kind::kIo, from + " can't be moved away: " + error.message());
    }
    if (!error) log.warning("the old database was moved away", {{"file", to}});
  }
  return {};
}

}  // namespace

base::Outcome<void> rebuild_database(const std::string& state, const std::string& place,
                                     crypto::SealKeys keys, base::WallTime now,
                                     const base::Log& log) {
  // All files are read before the old database is touched: a failure until then has
  // changed nothing.
  std::vector<repository::ReadFile> sound;
  {
    auto folder = store::StateFolder::open(state);
    if (!folder) return base::refuse(folder.error());
    folder->use_keys(std::move(keys));
    const auto files = folder->list_vault();
    if (!files) return base::refuse(files.error());
    for (const auto& file : *files) {
      const auto handle = folder->open_as_it_lies(file.name);
      if (!handle) return base::refuse(handle.error());
      auto read = repository::read_file(*folder, file, *handle);
      if (!read) return base::refuse(read.error());
      if (!read->whole()) {
        log.error("a file in vault/ is damaged and was moved to quarantine/",
                  {{"sha256", file.name}});
        if (auto moved = folder->to_quarantine(file.name); !moved) return moved;
        continue;
      }
      sound.push_back(std::move(*read));
    }
    if (place.empty()) {
      if (auto moved = move_away(folder->database(), now, log); !moved) return moved;
    }
    auto database = repository::Repository::open_database(*folder, {place, true}, log);
    if (!database) return base::refuse(database.error());
    if (auto unused = db::check_unused(**database); !unused) return unused;
    auto recorded = (*database)->write([&](db::Transaction& t) -> base::Outcome<void> {
      for (const auto& read : sound) {
        if (auto done = repository::record_anew(t, read, now); !done)
          return base::refuse(done.error());
      }
      return {};
    });
    if (!recorded) return recorded;
  }
  log.warning("the database was made again; add images again to give them their names",
              {{"files", sound.size()}});
  return {};
}

}  // namespace vantro::upkeep
