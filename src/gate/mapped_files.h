// The files that are being sent, each open and mapped once for all transfers of it:
// hundreds of devices that load one image then share its pages and its descriptor, and
// need no memory of their own for it.
#pragma once

#include <cstddef>
#include <cstdint>
#include <map>
#include <memory>
#include <utility>

#include "base/mapped_file.h"
#include "base/mutex.h"
#include "base/unique_fd.h"

namespace vantro::gate {

struct SentFile {
  SentFile(base::UniqueFd the_file, std::uint64_t size)
      : file(std::move(the_file)), mapped(file.get(), size) {}
  base::UniqueFd file;
  base::MappedFile mapped;
};

// Thread-safe.
class MappedFiles {
 public:
  // Takes an open file over; or closes it, if the same is there already. It is there for
  // as long as somebody holds it. `size` in bytes. Null, and the file stays with the
  // caller: it is not open.
  std::shared_ptr<const SentFile> share(base::UniqueFd& file, std::uint64_t size);

 private:
  // By device and inode: a file that was replaced is another one. While it is open, its
  // inode number is not given to another file.
  using Key = std::pair<std::uint64_t, std::uint64_t>;
  base::Mutex mutex_;
  std::map<Key, std::weak_ptr<const SentFile>> files_ VANTRO_GUARDED_BY(mutex_);
  // With so many, those that nobody sends any more are forgotten.
  std::size_t clear_at_ VANTRO_GUARDED_BY(mutex_) = 16;
};

}  // namespace vantro::gate
