// What a person decides about files without a record (gate/unrecorded.h): to record them
// anew, or to remove them.
#pragma once

#include <string>

#include "base/outcome.h"
#include "crypto/digests.h"
#include "gate/gate.h"

namespace vantro::upkeep {

// A file of the vault that was read whole.
struct ReadFile {
  store::StoredFile file;
  std::uint64_t size = 0;  // of the plain bytes
  crypto::Digests digests;

  bool whole() const { return digests.sha256 == file.name; }
};

// Reads it through the handle. kDenied: it is encrypted with a key that is not here. kIo,
// kBusy: it can't be read.
base::Outcome<ReadFile> read_file(const store::StateFolder& folder,
                                  const store::StoredFile& file,
                                  const store::StoredHandle& handle);

// Records what is known of a file whose record is lost: its bytes. A plain one becomes a
// held image, an encrypted one a backup under "recovered"; either is named
// recovered-<first 12 of its SHA-256>. Returns that name.
base::Outcome<std::string> record_anew(db::Transaction& transaction, const ReadFile& read,
                                       base::WallTime now);

// Both write to the ledger. kNotFound: no file of this name lacks a record.

// Returns the name under which it is recorded. kInvalid: it is a partial upload, which
// can't be recorded. kCorrupt: its bytes are damaged; it was moved to quarantine/. kBusy:
// it was replaced while it was read.
base::Outcome<std::string> keep_unrecorded(gate::Gate& gate, const std::string& name,
                                           const std::string& who);
// For good.
base::Outcome<void> remove_unrecorded(gate::Gate& gate, const std::string& name,
                                      const std::string& who);

}  // namespace vantro::upkeep
