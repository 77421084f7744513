// New records for files of the vault whose records are lost.
#pragma once

#include <cstdint>
#include <string>

#include "base/outcome.h"
#include "crypto/digests.h"
#include "db/database.h"
#include "store/state_folder.h"

namespace vantro::repository {

// A file of the vault that was read to its end.
struct ReadFile {
  store::StoredFile file;
  std::uint64_t size = 0;  // of the plain bytes
  crypto::Digests digests;

  bool whole() const { return digests.sha256 == file.name; }
};

// Reads it through the handle. kDenied: it is encrypted with an unknown key. kIo, kBusy:
// it cannot be read.
base::Outcome<ReadFile> read_file(const store::StateFolder& folder,
                                  const store::StoredFile& file,
                                  const store::StoredHandle& handle);

// Records the known facts about a file whose record is lost: its bytes. A plain one
// becomes a held image, an encrypted one a backup under "recovered"; either is named
// recovered-<first 12 of its SHA-256>. Returns that name.
base::Outcome<std::string> record_anew(db::Transaction& transaction, const ReadFile& read,
                                       base::WallTime now);

}  // namespace vantro::repository
