#include "base/clock.h"

#include <cstdio>
#include <ctime>
#include <fmt/format.h>

#include "base/numbers.h"

namespace vantro::base {
namespace {

std::string written(const std::tm& parts, char between, const std::string& end) {
  return fmt::format("{:04}-{:02}-{:02}{}{:02}:{:02}:{:02}{}", parts.tm_year + 1900,
                     parts.tm_mon + 1, parts.tm_mday, between, parts.tm_hour,
                     parts.tm_min, parts.tm_sec, end);
}

}  // namespace

WallTime SystemClock::wall() const {
  return std::chrono::duration_cast<std::chrono::milliseconds>(
             std::chrono::system_clock::now().time_since_epoch())
      .count();
}

Instant SystemClock::now() const { return std::chrono::steady_clock::now(); }

std::string iso_time(WallTime time) {
  const std::time_t seconds = time / 1000;
  std::tm parts{};
  gmtime_r(&seconds, &parts);
  return written(parts, 'T', fmt::format(".{:03}Z", time % 1000));
}

std::optional<WallTime> parse_iso_time(const std::string& text) {
  std::tm parts{};
  int milliseconds = 0;
  char end = 0;
  if (std::sscanf(text.c_str(), "%4d-%2d-%2dT%2d:%2d:%2d.%3d%c", &parts.tm_year,
                  &parts.tm_mon, &parts.tm_mday, &parts.tm_hour, &parts.tm_min,
                  &parts.tm_sec, &milliseconds, &end) != 8 ||
      end != 'Z') {
    return std::nullopt;
  }
  parts.tm_year -= 1900;
  parts.tm_mon -= 1;
  return static_cast<WallTime>(timegm(&parts)) * 1000 + milliseconds;
}

std::string local_time(WallTime time) {
  const std::time_t seconds = time / 1000;
  std::tm parts{};
  localtime_r(&seconds, &parts);
  return written(parts, ' ', "");
}

}  // namespace vantro::base
