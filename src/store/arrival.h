// One upload on its way into the vault. Bytes go to a file in arriving/ and through the
// digests in the same pass.
//
//   write ... write -> seal() -> keep()       filed under its SHA-256
//                             -> set_aside()  interrupted: kept in partial/, never
// offered
//                             -> discard()    refused: nothing stays
//
// It may be encrypted on its way in; the digests are of the plain bytes anyway. Of a
// large file only SHA-256 and what need() asked for are computed; the others follow after
// it was filed (repository/missing_digests.h).
//
// An arrival that is destroyed before any of the three is set aside. Not thread-safe.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "base/unique_fd.h"
#include "crypto/digests.h"
#include "store/expected_bytes.h"
#include "store/sealed_file.h"

namespace vantro::store {

class StateFolder;

// The rest of an interrupted upload.
struct SetAside {
  std::string file;    // its name in partial/; empty: there was nothing to keep
  std::string sha256;  // of its plain bytes; empty: they may not be on disk
};

class Arrival {
 public:
  // `folder` must outlive the arrival. With a key it is encrypted.
  Arrival(const StateFolder& folder, std::string file_name, base::UniqueFd file,
          const crypto::SealKey* key = nullptr, ExpectedBytes expected = {});
  Arrival(Arrival&&) noexcept = default;
  Arrival& operator=(Arrival&&) = delete;
  ~Arrival();

  // Passes the bytes that its file already holds through the digests and to `seen`.
  // REQUIRES: the file can be read, is not encrypted, and nothing was written yet.
  using Seen = std::function<void(base::ByteView)>;
  using Read = std::function<base::Outcome<void>(base::ByteView)>;
  base::Outcome<void> read_again(const Seen& seen);

  // May return kFull, kIo. After a refusal, call set_aside() or discard().
  base::Outcome<void> write(base::ByteView bytes);

  // The bytes so far are on disk when it returns a value.
  base::Outcome<void> sync();

  // These will be compared, so they are computed as the bytes arrive. At any time before
  // finish(), the earlier the better.
  void need(const std::vector<crypto::Expected>& expected);

  // No more bytes will arrive; returns their digests. They need not be on disk yet.
  base::Outcome<crypto::Digests> finish();
  // Adds those that are needed for comparing with `expected`. Reads the bytes again if
  // need() came too late. REQUIRES: finish() has succeeded.
  base::Outcome<void> add_missing(crypto::Digests& digests,
                                  const std::vector<crypto::Expected>& expected) const;
  // Both in one: finish(), and they are on disk.
  base::Outcome<crypto::Digests> seal();

  // Writes it again, encrypted or plain. REQUIRES: finish() has succeeded; `on`: there is
  // a key.
  base::Outcome<void> encrypt(bool on);
  bool encrypted() const { return sealed_.has_value(); }

  // Moves the file into the vault; on disk when it returns. The same bytes are stored
  // once, however often they arrive. REQUIRES: seal() has succeeded.
  base::Outcome<void> keep();

  // The parts of seal() and keep(), for filing many at once: start writing; wait for it;
  // give the file its name in the vault, which is on disk only after
  // StateFolder::sync_vault_shelf(). REQUIRES: finish() has succeeded. The file system
  // writes what has changed so far in one go: so all of them begin before the first
  // waits.
  base::Outcome<void> begin_sync();
  base::Outcome<void> sync_whole();
  base::Outcome<void> move_in();
  const std::string& sha256() const { return sha256_; }  // after finish()

  // Moves it, whole as it is, to kept/ beside `about`, which describes it; both are on
  // disk when it returns a value. REQUIRES: finish() has succeeded.
  base::Outcome<void> keep_for_later(const std::string& about);

  // Moves it to partial/; on disk when it returns: only then may it be recorded.
  SetAside set_aside();

  void discard();
  // Puts it back where arrive_again() took it from, unchanged.
  void put_back(const std::string& path);

  // The SHA-256 of the bytes so far.
  std::string sha256_so_far() const { return digester_.sha256_so_far(); }
  std::uint64_t size() const { return size_; }
  // For reading the bytes so far, in plain. REQUIRES: none of the three was called.
  base::Outcome<base::UniqueFd> open_for_reading() const;

 private:
  base::Outcome<base::UniqueFd> open_as_it_lies() const;

  const StateFolder* folder_;
  std::string file_name_;  // in arriving/
  base::UniqueFd file_;    // none: moved from, kept, set aside or discarded
  std::optional<SealedWriter> sealed_;
  crypto::Digester digester_;
  std::string sha256_;  // after finish()
  std::uint64_t size_ = 0;
  std::uint64_t flushed_ = 0;  // on their way to the disk
  ExpectedBytes expected_;
  std::uint64_t looked_at_ = 0;  // its size when the disk last had space
};

}  // namespace vantro::store
