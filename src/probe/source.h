// The file to look into, and the limits.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>

#include "base/bytes.h"
#include "base/clock.h"
#include "base/outcome.h"

namespace vantro::probe {

struct Limits {
  base::Duration time = std::chrono::seconds(60);
  // Bytes that compressed ones may unpack to.
  std::uint64_t expanded = std::uint64_t{64} << 30;
};

class Source {
 public:
  // Borrows the descriptor of a regular file. `progress` is told after each read how many
  // bytes were read so far; bytes that are read twice count twice.
  using Progress = std::function<void(std::uint64_t)>;
  Source(int fd, std::uint64_t size, const Limits& limits, Progress progress = {});

  int fd() const { return fd_; }
  std::uint64_t size() const { return size_; }
  const Limits& limits() const { return limits_; }
  bool out_of_time() const;

  // As many as exist, at most `count`. Throws std::system_error if the disk fails.
  base::ByteBuffer read(std::uint64_t offset, std::size_t count) const;
  // The CRC-32 of a part of the file; nothing if the time is up.
  std::optional<std::uint32_t> crc32(std::uint64_t offset, std::uint64_t count) const;

 private:
  int fd_;
  std::uint64_t size_;
  Limits limits_;
  base::Instant until_;
  Progress progress_;
  mutable std::uint64_t read_ = 0;
};

// The time was not enough for all of it.
inline constexpr const char* kOutOfTime =
    "not read to its end: it took longer than is allowed (catalogue.look_inside_s)";

}  // namespace vantro::probe
