// A file's bytes in the address space: to see whether they are in memory, and to send
// them without copying them first.
#pragma once

#include <cstdint>

#include "base/bytes.h"

namespace vantro::base {

// Thread-safe. Cheap enough for an I/O thread.
class MappedFile {
 public:
  // `file` must be open for reading; it need not stay open. `size` in bytes. If the
  // system refuses, nothing is in memory as far as this can tell.
  MappedFile(int file, std::uint64_t size);
  ~MappedFile();
  MappedFile(const MappedFile&) = delete;
  MappedFile& operator=(const MappedFile&) = delete;

  // False where that is unknown; 4 MiB at most.
  bool in_memory(std::uint64_t offset, std::uint64_t count) const;

  // For system calls only, which are refused (EFAULT) where the disk can't be read; the
  // program itself would be ended there (SIGBUS). REQUIRES: in_memory() was true.
  ByteView view(std::uint64_t offset, std::size_t count) const {
    return {static_cast<const std::uint8_t*>(map_) + offset, count};
  }

 private:
  void* map_;
  std::uint64_t size_;
};

// Reads the bytes into memory. For a disk pool.
void bring_into_memory(int file, std::uint64_t offset, std::uint64_t count);

}  // namespace vantro::base
