// Writing and reading files that are encrypted on disk (crypto/sealed_stream.h).
#pragma once

#include <cstdint>
#include <functional>
#include <optional>

#include "base/bytes.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "crypto/sealed_stream.h"
#include "store/file_system.h"

namespace vantro::store {

// All of it. kFull, kIo.
base::Outcome<void> write_all(FileSystem& files, int file, base::ByteView bytes);

// Collects plain bytes into pieces. Not thread-safe.
class SealedWriter {
 public:
  // The file system must outlive it.
  SealedWriter(FileSystem& files, const crypto::SealKey& key)
      : files_(&files), sealer_(key) {}

  base::Outcome<void> write(int file, base::ByteView plain);
  // Writes the collected bytes to the file; `last`: and nothing will follow.
  base::Outcome<void> flush(int file, bool last);

 private:
  FileSystem* files_;
  crypto::Sealer sealer_;
  base::ByteBuffer gathered_;
  bool begun_ = false;
};

// The plain bytes as a file that is in memory only; at most `most`. kTooLarge, and as
// crypto::unseal().
base::Outcome<base::UniqueFd> unsealed(int file, const crypto::SealKeys& keys,
                                       bool may_break_off, std::uint64_t most);

// The plain bytes of an open file, from its beginning. Without keys it is not sealed.
base::Outcome<void> read_plain(
    int file, const crypto::SealKeys* keys, bool may_break_off,
    const std::function<base::Outcome<void>(base::ByteView)>& take);

}  // namespace vantro::store
