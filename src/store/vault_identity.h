// The file vault/identity: which database the vault's files were recorded in, and how far
// that had come. It is written after each commit without waiting for the disk, so after a
// power cut it may be some seconds behind the database; it is never ahead of it.
//
// One line of a fixed length, overwritten in place: within one sector, so that it is
// old or new, never mixed.
#pragma once

#include <optional>
#include <string>

#include "base/mutex.h"
#include "base/outcome.h"
#include "base/state_identity.h"
#include "base/unique_fd.h"
#include "store/file_system.h"

namespace vantro::store {

// Thread-safe.
class VaultIdentity {
 public:
  // The file system must outlive it.
  VaultIdentity(FileSystem& files, std::string vault)
      : files_(files), folder_(std::move(vault)) {}

  // Nothing if there is none, or it cannot be read.
  std::optional<base::StateIdentity> read() const;
  // The first one is on disk when this returns a value.
  base::Outcome<void> write(const base::StateIdentity& identity);

 private:
  std::string path() const { return folder_ + "/identity"; }

  FileSystem& files_;
  const std::string folder_;
  base::Mutex mutex_;
  base::UniqueFd file_ VANTRO_GUARDED_BY(mutex_);  // open after the first write
};

}  // namespace vantro::store
