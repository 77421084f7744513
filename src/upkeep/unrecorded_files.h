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

// kDenied: it is encrypted with a key that is not here. kIo, kBusy: it can't be read.
base::Outcome<ReadFile> read_file(const store::StateFolder& folder,
                                  const store::StoredFile& file);

// Records what is known of a file whose record is lost: its bytes. A plain one becomes a
// held image, an encrypted one a backup under "recovered"; either is named
// recovered-<first 12 of its SHA-256>. Returns that name.
base::Outcome<std::string> record_anew(db::Transaction& transaction, const ReadFile& read,
                                       base::WallTime now);

// Both go into the ledger. kNotFound: there is no such file without a record.

// Returns the name of what it is now. kInvalid: an upload that broke off is nothing that
// can be recorded. kCorrupt: its bytes are damaged; it went to quarantine/.
base::Outcome<std::string> keep_unrecorded(gate::Gate& gate, const std::string& name,
                                           const std::string& who);
// For good.
base::Outcome<void> remove_unrecorded(gate::Gate& gate, const std::string& name,
                                      const std::string& who);

}  // namespace vantro::upkeep
