// One upload on its way into the vault. Bytes go to a file in arriving/ and through the
// digests in the same pass.
//
//   write ... write -> seal() -> keep()       filed under its SHA-256
//                             -> set_aside()  broke off: kept in partial/, never offered
//                             -> discard()    refused: nothing stays
//
// An arrival that is destroyed before any of the three is set aside. Not thread-safe.
#pragma once

#include <cstdint>
#include <memory>
#include <string>

#include "base/outcome.h"
#include "base/unique_fd.h"
#include "crypto/digests.h"

namespace vantro::store {

class StateFolder;

class Arrival {
 public:
  // `folder` must outlive the arrival.
  Arrival(const StateFolder& folder, std::string file_name, base::UniqueFd file);
  Arrival(Arrival&&) noexcept = default;
  Arrival& operator=(Arrival&&) = delete;
  ~Arrival();

  // What its file holds already, through the digests. REQUIRES: the file can be read, and
  // nothing was written yet.
  base::Outcome<void> read_again();

  // May return kFull, kIo. After a refusal, call set_aside() or discard().
  base::Outcome<void> write(base::ByteView bytes);

  // What has come so far is on disk when it returns a value.
  base::Outcome<void> sync();

  // No more bytes will come: they are synced, and this is what they are.
  base::Outcome<crypto::Digests> seal();

  // Moves the file into the vault, on disk when it returns. The same bytes are there
  // once, however often they arrive. REQUIRES: seal() has succeeded.
  base::Outcome<void> keep();

  // Gives the name of the file in partial/, or "" if there was nothing to keep.
  std::string set_aside();

  void discard();

  std::uint64_t size() const { return size_; }
  // For reading what has come. REQUIRES: none of the three was called.
  base::Outcome<base::UniqueFd> open_for_reading() const;

 private:
  const StateFolder* folder_;
  std::string file_name_;  // in arriving/
  base::UniqueFd file_;    // none: moved from, kept, set aside or discarded
  crypto::Digester digester_;
  std::string sha256_;  // once sealed
  std::uint64_t size_ = 0;
  std::uint64_t flushed_ = 0;  // on their way to the disk
};

}  // namespace vantro::store
