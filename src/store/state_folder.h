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
//   <state>/reserve          space for changes on a full disk (store/reserve.h)
//
// Several nodes may work on one folder that a network file system gives them, with one
// database. Vault, partial/ and quarantine/ are then for all of them; arriving/, lock,
// reserve and whatever else belongs to one node is in <state>/nodes/<name>/, with kept/:
// complete uploads that wait for the database. All of them
// hold <state>/lock shared, so that nobody else works on the folder.
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

// The limit for decrypting into memory, in bytes; only configurations are encrypted.
inline constexpr std::uint64_t kMostUnsealed = 256 << 20;

struct StoredFile {
  std::string name;               // vault: the SHA-256; elsewhere: the file's name
  std::uint64_t size = 0;         // on the disk
  base::WallTime changed_at = 0;  // its bytes, or its folder (ctime)
  bool sealed = false;            // vault: encrypted: its plain bytes are fewer
};

// An open file of the vault.
struct StoredHandle {
  base::UniqueFd file;  // none: it is missing
  bool sealed = false;
};

// The record of a file in partial/.
struct RecordedPartial {
  std::string file;
  std::uint64_t size = 0;  // plain bytes
  std::string sha256;
};

class StateFolder {
 public:
  // Makes missing folders, owner-only and on disk when it returns a value, and takes the
  // lock. Refused with kBusy if another vantrod holds it; of a node, if another one has
  // its name. `node`: empty if it is the only one. The file system must outlive it.
  static base::Outcome<StateFolder> open(const std::string& path,
                                         FileSystem& files = system_files(),
                                         const std::string& node = "");

  // The keys for encrypting arrivals and reading encrypted files. Before any other use of
  // the folder.
  void use_keys(crypto::SealKeys keys) {
    keys_ = std::make_shared<const crypto::SealKeys>(std::move(keys));
  }
  const crypto::SealKeys* keys() const { return keys_.get(); }  // never null
  bool encrypts() const { return keys_->current() != nullptr; }

  const std::string& path() const { return path_; }
  const std::string& node() const { return node_; }  // empty: it is the only one
  // Whatever belongs to this node alone; the same as path() if it is the only one.
  const std::string& own() const { return own_; }
  static std::string own_of(const std::string& path, const std::string& node) {
    return node.empty() ? path : path + "/nodes/" + node;
  }
  // Whether a program has the lock of that node's part.
  bool is_in_use(const std::string& node) const;
  std::string database() const { return path_ + "/vantro.db"; }
  std::string token_file() const { return path_ + "/token"; }
  std::string secrets_token_file() const { return path_ + "/secrets-token"; }

  // Refused with kFull if `announced` bytes cannot fit on the disk. `encrypted`: if there
  // is a key for it.
  base::Outcome<Arrival> arrive(ArrivalLabel label, base::WallTime now,
                                std::uint64_t announced, bool encrypted = false) const;
  // For Arrival: one more of the same label, encrypted or not.
  base::Outcome<Arrival> arrive_beside(const std::string& arriving_name,
                                       bool encrypted) const;

  // Resumes a file of partial/: it goes back to arriving/ under a name of its own, and
  // its bytes are read once more for the digests, and to `seen`, which may take a while
  // for a large one. kBusy if it is no longer in partial/: another upload has resumed it.
  // kCorrupt if it does not match its record: it stays in partial/ then.
  base::Outcome<Arrival> arrive_again(const RecordedPartial& recorded,
                                      const ArrivalLabel& label, base::WallTime now,
                                      bool encrypted, const Arrival::Seen& seen) const;

  // A file of the vault for reading, in plain: an encrypted one is decrypted into memory.
  // kCorrupt if it is missing or not `size` bytes long; kDenied: there is no key.
  base::Outcome<base::UniqueFd> open_stored(const std::string& sha256,
                                            std::uint64_t size) const;
  // The same as it is on disk, plain or sealed. The handle can tell whether it is still
  // the stored file (is_stored()). kCorrupt: it is missing.
  base::Outcome<StoredHandle> open_as_it_lies(const std::string& sha256) const;
  // Whether the file of this SHA-256 is the one that is open there; without one: whether
  // there is none.
  bool is_stored(const std::string& sha256, const StoredHandle& handle) const;
  base::Outcome<base::UniqueFd> open_partial(const std::string& file_name) const;
  // How many plain bytes a file of partial/ has; nothing if it is missing or damaged.
  std::optional<std::uint64_t> partial_size(const std::string& file_name) const;

  base::Outcome<std::vector<StoredFile>> list_vault() const;
  // Of those whose SHA-256 begins with these two digits.
  base::Outcome<std::vector<StoredFile>> list_vault(const std::string& shelf) const;
  base::Outcome<std::vector<StoredFile>> list_arriving() const;
  base::Outcome<std::vector<StoredFile>> list_partial() const;

  // Encrypts a stored file with today's key (crypto::SealKeys::current()), or decrypts it
  // without one; nothing is done if it is so already. Its old form is removed when the
  // new file is on disk, but a plain one stays if something else needs it (not `only`).
  // kDenied: its key is unknown. kCorrupt: its bytes do not match its name.
  base::Outcome<void> reseal(const std::string& sha256, std::uint64_t size,
                             bool only) const;

  // Complete uploads that could not be recorded yet, in kept/ of this node. Each has a
  // description beside it, which is written last.
  base::Outcome<void> move_to_kept(const std::string& arriving_name,
                                   const std::string& about) const;
  struct Kept {
    std::string name;
    std::string about;  // as it was given
  };
  base::Outcome<std::vector<Kept>> list_kept() const;
  // Its plain bytes. kNotFound: it is gone, as it was filed.
  base::Outcome<void> read_kept(const std::string& name, const Arrival::Read& take) const;
  // The description last.
  void remove_kept(const std::string& name) const;

  // On disk when it returns a value. kNotFound: it was not moved.
  base::Outcome<void> to_partial(const std::string& arriving_name) const;
  base::Outcome<void> to_quarantine(const std::string& sha256) const;
  void remove_arriving(const std::string& file_name) const;
  // For good. The caller has made sure that no record needs these bytes.
  void remove_stored(const std::string& sha256) const;
  void remove_partial(const std::string& file_name) const;

  // Puts files back that an older program moved out of the vault because they had no
  // record, if nothing is there in their place.
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

  // Free bytes, for users other than root.
  std::uint64_t free_bytes() const;
  // The same without the bytes that uploads under way have announced.
  std::uint64_t room() const;
  // kFull if uploads have come down to the space that is left to everything else: a
  // hundredth of the disk, 64 MiB at most.
  base::Outcome<void> check_floor() const;

 private:
  StateFolder(std::string path, FileSystem& files, const std::string& node);

  base::Outcome<void> sync_folder(const std::string& path) const;
  std::string about_kept(const std::string& name) const;

  std::string path_;
  std::string node_;
  std::string own_;
  FileSystem* files_;
  std::shared_ptr<const crypto::SealKeys> keys_ =
      std::make_shared<const crypto::SealKeys>();
  std::unique_ptr<crypto::DigestHelpers> digest_helpers_;
  base::UniqueFd lock_;       // of the folder
  base::UniqueFd node_lock_;  // of a node's own part
  // Has mutexes, which cannot be moved.
  struct Live {
    Live(const std::string& path, const std::string& own, FileSystem& files)
        : identity(files, path + "/vault"), reserve(own + "/reserve") {}
    VaultIdentity identity;
    Reserve reserve;
    // Shelves whose names are known to be on disk, by the first two digits of their
    // contents.
    std::array<std::atomic<bool>, 256> shelves{};
    ExpectedBytes::All expected = std::make_shared<std::atomic<std::uint64_t>>(0);
  };
  std::unique_ptr<Live> live_;
};

}  // namespace vantro::store
