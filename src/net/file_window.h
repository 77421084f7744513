// A file while it is sent: bytes that are not in memory are read on a disk pool first, so
// that sending does not wait for the disk.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>

#include "base/mapped_file.h"
#include "net/work_pool.h"

namespace vantro::net {

// Not thread-safe; for the I/O thread.
class FileWindow {
 public:
  // `file` is open as long as somebody holds `open`.
  FileWindow(std::shared_ptr<const void> open, int file, std::uint64_t size);

  // How many of the `count` bytes from `offset` on can be sent at once; 0: call bring().
  std::uint64_t ready(std::uint64_t offset, std::uint64_t count);
  // Reads the next of them into memory. `then` is called on the pool; do not call ready()
  // before.
  void bring(WorkPool& disk, std::uint64_t offset, std::uint64_t count,
             std::function<void()> then);

 private:
  std::shared_ptr<const void> open_;
  int file_;
  base::MappedFile pages_;
  std::uint64_t from_ = 0, until_ = 0;  // in memory at the last check
};

}  // namespace vantro::net
