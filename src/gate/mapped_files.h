// The files that are being sent, each mapped once for all transfers of it: hundreds of
// devices that load one image then share its pages, and need no memory of their own for
// it.
#pragma once

#include <cstddef>
#include <cstdint>
#include <map>
#include <memory>
#include <utility>

#include "base/mapped_file.h"
#include "base/mutex.h"

namespace vantro::gate {

// Thread-safe.
class MappedFiles {
 public:
  // The mapping of an open file, for as long as somebody holds it. `size` in bytes.
  std::shared_ptr<const base::MappedFile> of(int file, std::uint64_t size);

 private:
  // By device and inode: a file that was replaced is another one. While it is mapped, its
  // inode number is not given to another file.
  using Key = std::pair<std::uint64_t, std::uint64_t>;
  base::Mutex mutex_;
  std::map<Key, std::weak_ptr<const base::MappedFile>> files_ VANTRO_GUARDED_BY(mutex_);
  // With so many, those that nobody sends any more are forgotten.
  std::size_t clear_at_ VANTRO_GUARDED_BY(mutex_) = 16;
};

}  // namespace vantro::gate
