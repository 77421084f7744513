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

std::optional<WallTime> parse_time(const std::string& text, WallTime now) {
  if (const auto iso = parse_iso_time(text)) return iso;
  if (text.size() >= 2 && text.size() <= 7) {
    constexpr std::int64_t kSecond = 1000;
    constexpr std::int64_t kMinute = 60 * kSecond;
    const auto count =
        parse_number<std::int64_t>(std::string_view(text).substr(0, text.size() - 1));
    const auto unit = text.back();
    const auto length = unit == 's'   ? kSecond
                        : unit == 'm' ? kMinute
                        : unit == 'h' ? 60 * kMinute
                        : unit == 'd' ? 24 * 60 * kMinute
                                      : 0;
    if (count && *count > 0 && length > 0) return now + *count * length;
  }
  for (const auto* form : {"%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M", "%Y-%m-%d"}) {
    std::tm parts{};
    const char* end = ::strptime(text.c_str(), form, &parts);
    if (end == nullptr || *end != '\0') continue;
    parts.tm_isdst = -1;
    const auto seconds = ::mktime(&parts);
    if (seconds != -1) return static_cast<WallTime>(seconds) * 1000;
  }
  return std::nullopt;
}

std::string local_time(WallTime time) {
  const std::time_t seconds = time / 1000;
  std::tm parts{};
  localtime_r(&seconds, &parts);
  return written(parts, ' ', "");
}

}  // namespace vantro::base
