#include "probe/source.h"

#include <algorithm>
#include <cerrno>
#include <system_error>
#include <unistd.h>
#include <utility>
#include <zlib.h>

namespace vantro::probe {

Source::Source(int fd, std::uint64_t size, const Limits& limits, Progress progress)
    : fd_(fd),
      size_(size),
      limits_(limits),
      until_(std::chrono::steady_clock::now() + limits.time),
      progress_(std::move(progress)) {}

bool Source::out_of_time() const { return std::chrono::steady_clock::now() >= until_; }

base::ByteBuffer Source::read(std::uint64_t offset, std::size_t count) const {
  base::ByteBuffer bytes(count);
  std::size_t have = 0;
  while (have < count) {
    const auto got = ::pread(fd_, bytes.data() + have, count - have,
                             static_cast<off_t>(offset + have));
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) throw std::system_error(errno, std::generic_category(), "the file");
    if (got == 0) break;
    have += static_cast<std::size_t>(got);
  }
  bytes.resize(have);
  read_ += have;
  if (progress_) progress_(read_);
  return bytes;
}

std::optional<std::uint32_t> Source::crc32(std::uint64_t offset,
                                           std::uint64_t count) const {
  constexpr std::uint64_t kPiece = 1 << 20;
  auto crc = ::crc32(0, nullptr, 0);
  while (count > 0) {
    if (out_of_time()) return std::nullopt;
    const auto bytes = read(offset, static_cast<std::size_t>(std::min(kPiece, count)));
    if (bytes.empty()) return std::nullopt;
    crc = ::crc32(crc, bytes.data(), static_cast<uInt>(bytes.size()));
    offset += bytes.size();
    count -= bytes.size();
  }
  return static_cast<std::uint32_t>(crc);
}

}  // namespace vantro::probe
