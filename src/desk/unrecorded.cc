#include "desk/unrecorded.h"

#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "repository/change.h"
#include "repository/record_anew.h"

namespace vantro::desk {

using base::Kind;
using repository::Change;

base::Outcome<repository::UnrecordedFile> Unrecorded::find(
    const std::string& name) const {
  auto found = repository_.unrecorded.find(name);
  if (found) return std::move(*found);
  return base::refuse(
      Kind::kNotFound,
      fmt::format("'{}' is not a file without a record; 'vantro unrecorded list' shows "
                  "those",
                  base::printable(name, 80)));
}

base::Outcome<std::string> Unrecorded::keep(const std::string& name) {
  const auto found = find(name);
  if (!found) return base::refuse(found.error());
  if (found->partial) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is an interrupted upload and can't be recorded; copy what you "
                    "need from {}/partial/, then remove it",
                    base::printable(name, 80), repository_.folder.path()));
  }
  const auto handle = repository_.folder.open_as_it_lies(name);
  if (!handle) return base::refuse(handle.error());
  const auto read = repository::read_file(repository_.folder, found->file, *handle);
  if (!read) return base::refuse(read.error());
  // While it was read, a device may have sent the same bytes, or somebody removed it.
  const std::lock_guard vault(repository_.vault_mutex);
  if (auto still = find(name); !still) return base::refuse(still.error());
  if (!repository_.folder.is_stored(name, *handle)) {
    return base::refuse(Kind::kBusy, name + " was replaced meanwhile; try again");
  }
  if (!read->whole()) {
    if (auto moved = repository_.folder.to_quarantine(name); !moved) {
      return base::refuse(moved.error());
    }
    repository_.unrecorded.forget(name);
    return base::refuse(Kind::kCorrupt, name +
                                            " is damaged: its bytes do not match their "
                                            "SHA-256; it is in quarantine/ now");
  }
  auto kept = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<std::string> {
        if (auto there = repository_.contents.still_there(t, name); !there) {
          return base::refuse(there.error());
        }
        auto known = repository::record_anew(t, *read, change.now());
        if (known) change.record(t, "unrecorded-keep", *known, name, "");
        return known;
      });
  if (kept) repository_.unrecorded.forget(name);
  return kept;
}

base::Outcome<void> Unrecorded::remove(const std::string& name) {
  const auto found = find(name);
  if (!found) return base::refuse(found.error());
  // Nobody files the same bytes meanwhile.
  const std::lock_guard vault(repository_.vault_mutex);
  auto done = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        if (!found->partial && repository::Contents::is_recorded(t, name)) {
          return base::refuse(Kind::kExists, name + " has a record now and stays");
        }
        change.record(t, "unrecorded-remove", name, found->partial ? "" : name,
                      base::size_text(found->file.size));
        // In the transaction, so that no other node records it meanwhile.
        if (found->partial) {
          repository_.folder.remove_partial(name);
        } else {
          repository_.folder.remove_stored(name);
        }
        return {};
      });
  if (done || done.error().kind == Kind::kExists) repository_.unrecorded.forget(name);
  return done;
}

}  // namespace vantro::desk
