// The beginning of a content that is fetched piece by piece, perhaps for days: a file of
// mirroring/ in a node's own part, named by the SHA-256 of the whole. It survives stops
// of the program, and becomes an arrival when all of it is here.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "store/arrival.h"
#include "store/state_folder.h"

namespace vantro::store {

// Not thread-safe.
class PartFile {
 public:
  // The purpose of its label (store/arrival_label.h) while it is an arrival; the label's
  // name is the SHA-256.
  static constexpr const char* kPurpose = "mirror";

  // Makes it if it is not there. The folder must outlive it.
  static base::Outcome<PartFile> open(const StateFolder& folder,
                                      const std::string& sha256);

  std::uint64_t size() const { return size_; }
  // kFull, kIo.
  base::Outcome<void> write(base::ByteView bytes);
  // What was written is on disk when it returns a value.
  base::Outcome<void> sync();
  // The last bytes are thrown away, down to this size.
  base::Outcome<void> cut(std::uint64_t size);

  // Moves it to arriving/ and reads it once for the digests. After a refusal it is where
  // it was. REQUIRES: sync().
  base::Outcome<Arrival> arrive(base::WallTime now) &&;

  static base::Outcome<std::vector<StoredFile>> list(const StateFolder& folder);
  static void remove(const StateFolder& folder, const std::string& sha256);
  // An arrival that a stop interrupted is a part again.
  static base::Outcome<void> put_back(const StateFolder& folder,
                                      const std::string& arriving_name,
                                      const std::string& sha256);

 private:
  PartFile(const StateFolder& folder, std::string sha256, base::UniqueFd file,
           std::uint64_t size)
      : folder_(&folder),
        sha256_(std::move(sha256)),
        file_(std::move(file)),
        size_(size) {}

  const StateFolder* folder_;
  std::string sha256_;
  base::UniqueFd file_;
  std::uint64_t size_;
};

}  // namespace vantro::store
