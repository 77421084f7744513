// Time as the project uses it: Instant for durations and deadlines (monotonic, never
// shown), WallTime for records (shown, may jump). Machines take Instants as arguments;
// only the gate and the I/O rooms ask a Clock.
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>
#include <string>

namespace vantro::base {

using Duration = std::chrono::nanoseconds;
using Instant = std::chrono::time_point<std::chrono::steady_clock, Duration>;

// Milliseconds since 1970-01-01T00:00:00Z.
using WallTime = std::int64_t;

class Clock {
 public:
  virtual ~Clock() = default;
  virtual WallTime wall() const = 0;
  virtual Instant now() const = 0;
};

class SystemClock final : public Clock {
 public:
  WallTime wall() const override;
  Instant now() const override;
};

// "2026-11-23T02:14:07.120Z" (RFC 3339)
std::string iso_time(WallTime time);

// Reads what iso_time() wrote; nothing for any other text.
std::optional<WallTime> parse_iso_time(const std::string& text);

// "2026-11-23 02:14:07" in this machine's time zone.
std::string local_time(WallTime time);

}  // namespace vantro::base
