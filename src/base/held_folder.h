// A folder in which others write, too. It is held by its descriptor, and everything in it
// is reached from there and by no other way: no symbolic link is followed, nothing
// outside is touched, and nothing is opened that could block. Whoever may write there can
// only damage the files there.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"
#include "base/unique_fd.h"

namespace vantro::base {

// The metadata of a regular file, without opening it. Times in nanoseconds since 1970.
struct FileState {
  std::uint64_t size = 0;
  std::int64_t modified_ns = 0;
  std::int64_t changed_ns = 0;  // of content or of metadata (ctime)
};

// Thread-safe. Names are relative to the folder, with "/" between folders.
class HeldFolder {
 public:
  // kNotFound, kIo. The path itself is the administrator's: it may hold symbolic links.
  static Outcome<HeldFolder> open(const std::string& path);

  struct Found {
    std::vector<std::string> files;    // regular ones; sorted
    std::vector<std::string> folders;  // sorted
    std::size_t others = 0;            // links, pipes, sockets, devices
  };
  // The entries directly in the folder of that name; "" is this one.
  Outcome<Found> list(const std::string& folder) const;

  // kNotFound; kInvalid if it is not a regular file.
  Outcome<FileState> look(const std::string& name) const;
  // For reading. As look().
  Outcome<UniqueFd> open_file(const std::string& name) const;
  // kTooLarge over `most` bytes.
  Outcome<std::string> read(const std::string& name, std::size_t most) const;

  // Makes the folder and its parents if they do not exist.
  Outcome<void> make_folder(const std::string& name) const;
  // Writes a regular file with these bytes in the place of whatever had the name: a
  // symbolic link is replaced, not followed.
  Outcome<void> write(const std::string& name, std::string_view text) const;
  // kExists: the new name is taken.
  Outcome<void> move(const std::string& from, const std::string& to) const;
  // kNotFound. Not a folder.
  Outcome<void> remove(const std::string& name) const;

 private:
  explicit HeldFolder(UniqueFd folder) : folder_(std::move(folder)) {}

  // -1 and errno.
  int open_beneath(const std::string& name, int flags, unsigned mode = 0) const;
  // The folder that holds the name, for use with its last part.
  UniqueFd above(const std::string& name) const;

  UniqueFd folder_;
};

}  // namespace vantro::base
