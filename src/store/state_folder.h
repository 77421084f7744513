// The folder with everything that must not be lost:
//
//   <state>/vantro.db        metadata
//   <state>/vault/ab/abcd..  files named by SHA-256, read-only once there; encrypted
//                            ones by that of their plain bytes, with .sealed behind it
//   <state>/arriving/        uploads under way
//   <state>/partial/         interrupted uploads, kept some days, never offered
//   <state>/quarantine/      bytes that no longer match their name
//   <state>/token            of earlier versions; the first start makes people of it,
//   <state>/secrets-token    and of this one
//   <state>/lock             held while a vantrod runs
//   <state>/reserve          room for changes on a full disk (store/reserve.h)
//
// Thread-safe.
#pragma once

#include <array>
#include <atomic>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "crypto/digest_helpers.h"
#include "crypto/sealed_stream.h"
#include "store/arrival.h"
#include "store/arrival_label.h"
#include "store/file_system.h"
#include "store/reserve.h"
#include "store/vault_identity.h"

namespace vantro::store {

// What is decrypted into memory at once, in bytes; encrypted are configurations only.
inline constexpr std::uint64_t kMostUnsealed = 256 << 20;

struct StoredFile {
  std::string name;               // vault: the SHA-256; elsewhere: the file's name
  std::uint64_t size = 0;         // on the disk
  base::WallTime changed_at = 0;  // its bytes, or the folder it is in (ctime)
  bool sealed = false;            // vault: encrypted: its plain bytes are fewer
};

// A file of the vault that was opened.
struct StoredHandle {
  base::UniqueFd file;  // none: it is gone
  bool sealed = false;
};

// What the record says of a file in partial/.
struct RecordedPartial {
  std::string file;
  std::uint64_t size = 0;  // plain bytes
  std::string sha256;
};

class StateFolder {
 public:
  // Makes what is missing, owner-only and on disk when it returns a value, and takes the
  // lock. Refused with kBusy if another vantrod holds it. The file system must outlive
  // it.
  static base::Outcome<StateFolder> open(const std::string& path,
                                         FileSystem& files = system_files());

  // What arrives encrypted is encrypted with these, and what is kept so is read with
  // them. Before anything else is done with the folder.
  void use_keys(crypto::SealKeys keys) {
    keys_ = std::make_shared<const crypto::SealKeys>(std::move(keys));
  }
  const crypto::SealKeys* keys() const { return keys_.get(); }  // never null
  bool encrypts() const { return keys_->current() != nullptr; }

  const std::string& path() const { return path_; }
  std::string database() const { return path_ + "/vantro.db"; }
  std::string token_file() const { return path_ + "/token"; }
  std::string secrets_token_file() const { return path_ + "/secrets-token"; }

  // Refused with kFull if `announced` bytes can't fit on the disk.
  // `encrypted`: if there is a key for it.
  base::Outcome<Arrival> arrive(ArrivalLabel label, base::WallTime now,
                                std::uint64_t announced, bool encrypted = false) const;
  // For Arrival: one more of the same label, encrypted or not.
  base::Outcome<Arrival> arrive_beside(const std::string& arriving_name,
                                       bool encrypted) const;

  // Goes on with a file of partial/: it comes back to arriving/ under a name of its own,
  // and what it has is read once more for the digests, and to `seen`, which may take a
  // while for a large one. kBusy if it is not in partial/ any more: another one goes on
  // with it. kCorrupt if it is not what was `recorded` of it: it stays in partial/ then.
  base::Outcome<Arrival> arrive_again(const RecordedPartial& recorded,
                                      const ArrivalLabel& label, base::WallTime now,
                                      bool encrypted, const Arrival::Seen& seen) const;

  // A file of the vault for reading, in plain: what is encrypted is decrypted into
  // memory. kCorrupt if it is gone or not `size` bytes long; kDenied: there is no key.
  base::Outcome<base::UniqueFd> open_stored(const std::string& sha256,
                                            std::uint64_t size) const;
  // The same as it lies there, plain or sealed. Whoever holds it can tell whether it is
  // still the file that is stored (is_stored()). kCorrupt: it is gone.
  base::Outcome<StoredHandle> open_as_it_lies(const std::string& sha256) const;
  // Whether the file of this SHA-256 is the one that is open there; without one: whether
  // there is none.
  bool is_stored(const std::string& sha256, const StoredHandle& handle) const;
  base::Outcome<base::UniqueFd> open_partial(const std::string& file_name) const;
  // How many plain bytes a file of partial/ has; nothing if it is not there, or damaged.
  std::optional<std::uint64_t> partial_size(const std::string& file_name) const;

  base::Outcome<std::vector<StoredFile>> list_vault() const;
  // Of those whose SHA-256 begins with these two digits.
  base::Outcome<std::vector<StoredFile>> list_vault(const std::string& shelf) const;
  base::Outcome<std::vector<StoredFile>> list_arriving() const;
  base::Outcome<std::vector<StoredFile>> list_partial() const;

  // Brings what is stored to the key of today (crypto::SealKeys::current()), or to plain
  // without one; nothing is done where it is so already. What it was before is removed
  // when the new file is on disk; a plain one only if it is `only` this that it is for.
  // kDenied: its key is not here. kCorrupt: it is not what its name says.
  base::Outcome<void> reseal(const std::string& sha256, std::uint64_t size,
                             bool only) const;

  // On disk when it returns a value. kNotFound: it was not moved.
  base::Outcome<void> to_partial(const std::string& arriving_name) const;
  base::Outcome<void> to_quarantine(const std::string& sha256) const;
  void remove_arriving(const std::string& file_name) const;
  // For good. The caller has seen to it that nothing is recorded with these bytes.
  void remove_stored(const std::string& sha256) const;
  void remove_partial(const std::string& file_name) const;

  // What an older program moved out of the vault because it had no record goes back, if
  // nothing is there in its place.
  void unrecorded_to_vault() const;

  VaultIdentity& identity() const { return live_->identity; }
  Reserve& reserve() const { return live_->reserve; }
  // Tries to write a file, and says why that fails.
  base::Outcome<void> try_writing() const;

  // For Arrival.
  FileSystem& files() const { return *files_; }
  crypto::DigestHelpers* digest_helpers() const { return digest_helpers_.get(); }
  std::string arriving(const std::string& file_name) const;
  std::string vault_file(const std::string& sha256, bool encrypted = false) const;
  base::Outcome<void> make_vault_shelf(const std::string& sha256) const;
  base::Outcome<void> sync_vault_shelf(const std::string& sha256) const;

  // Bytes that may still be written, for people who are not root.
  std::uint64_t free_bytes() const;
  // The same less what uploads under way have announced.
  std::uint64_t room() const;
  // kFull if uploads have come down to what is left to everything else: a hundredth of
  // the disk, 64 MiB at most.
  base::Outcome<void> check_floor() const;

 private:
  StateFolder(std::string path, FileSystem& files);

  base::Outcome<void> sync_folder(const std::string& path) const;

  std::string path_;
  FileSystem* files_;
  std::shared_ptr<const crypto::SealKeys> keys_ =
      std::make_shared<const crypto::SealKeys>();
  std::unique_ptr<crypto::DigestHelpers> digest_helpers_;
  base::UniqueFd lock_;
  // Has mutexes, which can't be moved.
  struct Live {
    Live(const std::string& path, FileSystem& files)
        : identity(files, path + "/vault"), reserve(path + "/reserve") {}
    VaultIdentity identity;
    Reserve reserve;
    // Whose names are known to be on disk, by the first two digits of what they hold.
    std::array<std::atomic<bool>, 256> shelves{};
    ExpectedBytes::All expected = std::make_shared<std::atomic<std::uint64_t>>(0);
  };
  std::unique_ptr<Live> live_;
};

}  // namespace vantro::store
