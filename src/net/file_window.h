// A file while it is sent: what is not in memory is brought there on a disk pool
// first, so that sending does not wait for the disk.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>

#include "net/tcp_stream.h"
#include "net/work_pool.h"

namespace vantro::net {

// Not thread-safe; for the I/O thread.
class FileWindow {
 public:
  // `file` is open as long as somebody holds `open`.
  FileWindow(std::shared_ptr<const void> open, int file, std::uint64_t size);

  // How many of the `count` bytes from `offset` on can be sent at once; 0: bring() them.
  std::uint64_t ready(std::uint64_t offset, std::uint64_t count);
  // Brings the next of them into memory. `then` is called on the pool; ready() must not
  // be asked before.
  void bring(WorkPool& disk, std::uint64_t offset, std::uint64_t count,
             std::function<void()> then);

 private:
  std::shared_ptr<const void> open_;
  int file_;
  PageCheck pages_;
  std::uint64_t from_ = 0, until_ = 0;  // in memory when it was last looked
};

}  // namespace vantro::net
