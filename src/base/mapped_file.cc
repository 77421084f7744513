#include "base/mapped_file.h"

#include <algorithm>
#include <array>
#include <fcntl.h>
#include <sys/mman.h>
#include <unistd.h>
#include <vector>

namespace vantro::base {

MappedFile::MappedFile(int file, std::uint64_t size)
    : map_(size == 0 ? MAP_FAILED
                     : ::mmap(nullptr, size, PROT_READ, MAP_SHARED, file, 0)),
      size_(size) {}

MappedFile::~MappedFile() {
  if (map_ != MAP_FAILED) ::munmap(map_, size_);
}

bool MappedFile::in_memory(std::uint64_t offset, std::uint64_t count) const {
  static const auto page = static_cast<std::uint64_t>(::sysconf(_SC_PAGESIZE));
  if (map_ == MAP_FAILED || offset + count > size_) return false;
  const auto first = offset / page * page;
  const auto length = offset + count - first;
  std::array<unsigned char, 1024> pages;
  if ((length + page - 1) / page > pages.size()) return false;
  if (::mincore(static_cast<char*>(map_) + first, length, pages.data()) != 0)
    return false;
  return std::all_of(pages.begin(),
                     pages.begin() + static_cast<long>((length + page - 1) / page),
                     [](unsigned char one) { return (one & 1) != 0; });
}

void bring_into_memory(int file, std::uint64_t offset, std::uint64_t count) {
  // The next bytes are fetched while these are sent.
  ::posix_fadvise(file, static_cast<off_t>(offset), static_cast<off_t>(4 * count),
                  POSIX_FADV_WILLNEED);
  std::vector<char> scratch(std::min<std::uint64_t>(count, 256 * 1024));
  for (std::uint64_t at = 0; at < count; at += scratch.size()) {
    const auto wanted = std::min<std::uint64_t>(scratch.size(), count - at);
    if (::pread(file, scratch.data(), wanted, static_cast<off_t>(offset + at)) <= 0)
      return;
  }
}

}  // namespace vantro::base
