#include "upkeep/unrecorded_files.h"

#include <fmt/format.h>
#include <mutex>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "gate/change_record.h"
#include "store/sealed_file.h"

namespace vantro::upkeep {

using base::Kind;

namespace {

base::Outcome<gate::UnrecordedFile> find(gate::Gate& gate, const std::string& name) {
  auto found = gate.repository().unrecorded.find(name);
  if (found) return std::move(*found);
  return base::refuse(
      Kind::kNotFound,
      fmt::format("'{}' is not a file without a record; 'vantro unrecorded list' shows "
                  "those",
                  base::printable(name, 80)));
}

}  // namespace

base::Outcome<ReadFile> read_file(const store::StateFolder& folder,
                                  const store::StoredFile& file,
                                  const store::StoredHandle& handle) {
  ReadFile result{file, 0, {}};
  crypto::Digester digester;
  auto read =
      store::read_plain(handle.file.get(), handle.sealed ? folder.keys() : nullptr, false,
                        [&](base::ByteView bytes) -> base::Outcome<void> {
                          digester.update(bytes);
                          result.size += bytes.size();
                          return {};
                        });
  if (!read && read.error().kind != Kind::kCorrupt) return base::refuse(read.error());
  result.digests = digester.finish();
  return result;
}

base::Outcome<std::string> record_anew(db::Transaction& t, const ReadFile& read,
                                       base::WallTime now) {
  auto name = "recovered-" + read.file.name.substr(0, 12);
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
    return name;
  }
  catalog::Image image;
  image.name = name;
  image.size = read.size;
  image.digests = read.digests;
  image.taken_in_at = now;
  image.taken_in_by = "recovery";
  auto added = catalog::Catalog::add(t, std::move(image));
  if (!added) return base::refuse(added.error());
  return name;
}

base::Outcome<std::string> keep_unrecorded(gate::Gate& gate, const std::string& name,
                                           const std::string& who) {
  auto& repository = gate.repository();
  const auto found = find(gate, name);
  if (!found) return base::refuse(found.error());
  if (found->partial) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is an upload that broke off, and can't be recorded; copy what "
                    "you need of it from {}/partial/, then remove it",
                    base::printable(name, 80), repository.folder.path()));
  }
  const auto handle = repository.folder.open_as_it_lies(name);
  if (!handle) return base::refuse(handle.error());
  const auto read = read_file(repository.folder, found->file, *handle);
  if (!read) return base::refuse(read.error());
  // While it was read, the same bytes may have come from a device, or it was removed.
  const std::lock_guard vault(repository.vault_mutex);
  if (auto still = find(gate, name); !still) return base::refuse(still.error());
  if (!repository.folder.is_stored(name, *handle)) {
    return base::refuse(Kind::kBusy, name + " was replaced meanwhile; try again");
  }
  if (!read->whole()) {
    if (auto moved = repository.folder.to_quarantine(name); !moved) {
      return base::refuse(moved.error());
    }
    repository.unrecorded.forget(name);
    return base::refuse(
        Kind::kCorrupt,
        name +
            " is damaged: its bytes no longer match their SHA-256; it is in "
            "quarantine/ now");
  }
  const auto now = gate.clock().wall();
  auto kept =
      repository.database->write([&](db::Transaction& t) -> base::Outcome<std::string> {
        auto known = record_anew(t, *read, now);
        if (!known) return known;
        gate::record_change(t, now, {"unrecorded-keep", who, *known, name, ""});
        return known;
      });
  if (kept) repository.unrecorded.forget(name);
  return kept;
}

base::Outcome<void> remove_unrecorded(gate::Gate& gate, const std::string& name,
                                      const std::string& who) {
  auto& repository = gate.repository();
  const auto found = find(gate, name);
  if (!found) return base::refuse(found.error());
  // Nobody files the same bytes meanwhile.
  const std::lock_guard vault(repository.vault_mutex);
  auto done = repository.database->write([&](db::Transaction& t) -> base::Outcome<void> {
    if (!found->partial && gate::Repository::is_recorded(t, name)) {
      return base::refuse(Kind::kExists, name + " has a record now and stays");
    }
    gate::record_change(t, gate.clock().wall(),
                        {"unrecorded-remove", who, name, found->partial ? "" : name,
                         base::size_text(found->file.size)});
    return {};
  });
  if (done && found->partial) {
    repository.folder.remove_partial(name);
  } else if (done) {
    repository.folder.remove_stored(name);
  }
  if (done || done.error().kind == Kind::kExists) repository.unrecorded.forget(name);
  return done;
}

}  // namespace vantro::upkeep
