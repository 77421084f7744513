// The folder with everything that must not be lost:
//
//   <state>/vantro.db        metadata
//   <state>/vault/ab/abcd..  files named by SHA-256, read-only once there
//   <state>/arriving/        uploads under way
//   <state>/partial/         uploads that broke off, kept some days, never offered
//   <state>/quarantine/      bytes that no longer match their name
//   <state>/token            the operator's key to the management API
//   <state>/secrets-token    the same, for those who may see secrets as well
//   <state>/lock             held while a vantrod runs
//
// Thread-safe.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "crypto/digest_helpers.h"
#include "store/arrival.h"
#include "store/arrival_label.h"

namespace vantro::store {

struct StoredFile {
  std::string name;  // vault: the SHA-256; elsewhere: the file's name
  std::uint64_t size = 0;
  base::WallTime changed_at = 0;  // its bytes, or the folder it is in (ctime)
};

class StateFolder {
 public:
  // Makes what is missing, owner-only, and takes the lock. Refused with kBusy if another
  // vantrod holds it.
  static base::Outcome<StateFolder> open(const std::string& path);

  const std::string& path() const { return path_; }
  std::string database() const { return path_ + "/vantro.db"; }
  std::string token_file() const { return path_ + "/token"; }
  std::string secrets_token_file() const { return path_ + "/secrets-token"; }

  // Refused with kFull if `announced` bytes can't fit on the disk.
  base::Outcome<Arrival> arrive(const ArrivalLabel& label, base::WallTime now,
                                std::uint64_t announced) const;

  // Goes on with a file of partial/: it comes back to arriving/ under a name of its own,
  // and what it has is read once more for the digests, which may take a while for a large
  // one. kBusy if it is not in partial/ any more: another one goes on with it.
  base::Outcome<Arrival> arrive_again(const std::string& partial_file,
                                      const ArrivalLabel& label,
                                      base::WallTime now) const;

  // A file of the vault for reading. kCorrupt if it is gone or not `size` bytes long.
  base::Outcome<base::UniqueFd> open_stored(const std::string& sha256,
                                            std::uint64_t size) const;
  base::Outcome<base::UniqueFd> open_partial(const std::string& file_name) const;

  base::Outcome<std::vector<StoredFile>> list_vault() const;
  base::Outcome<std::vector<StoredFile>> list_arriving() const;
  base::Outcome<std::vector<StoredFile>> list_partial() const;

  bool to_partial(const std::string& arriving_name) const;
  // A vault file without a record goes to partial/ as "<sha256>.unrecorded".
  base::Outcome<void> vault_to_partial(const std::string& sha256) const;
  base::Outcome<void> to_quarantine(const std::string& sha256) const;
  void remove_arriving(const std::string& file_name) const;
  // For good. The caller has seen to it that nothing is recorded with these bytes.
  void remove_stored(const std::string& sha256) const;
  void remove_partial(const std::string& file_name) const;

  // For Arrival.
  crypto::DigestHelpers* digest_helpers() const { return digest_helpers_.get(); }
  std::string arriving(const std::string& file_name) const;
  std::string vault_file(const std::string& sha256) const;
  base::Outcome<void> make_vault_shelf(const std::string& sha256) const;
  base::Outcome<void> sync_vault_shelf(const std::string& sha256) const;

  // Bytes that may still be written, for people who are not root.
  std::uint64_t free_bytes() const;

 private:
  explicit StateFolder(std::string path);

  std::string path_;
  std::unique_ptr<crypto::DigestHelpers> digest_helpers_;
  base::UniqueFd lock_;
};

}  // namespace vantro::store
