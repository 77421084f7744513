#include "wire/listing.h"

#include <array>
#include <fmt/format.h>

namespace vantro::wire {
namespace {

constexpr base::WallTime kHalfAYear = 182LL * 86'400'000;
constexpr std::array kMonths{"Jan", "Feb", "Mar", "Apr", "May", "Jun",
                             "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"};

}  // namespace

std::tm utc(base::WallTime time) {
  std::tm parts{};
  const auto seconds = static_cast<std::time_t>(time / 1000);
  ::gmtime_r(&seconds, &parts);
  return parts;
}

std::string list_line(const Entry& entry, base::WallTime now) {
  const auto time = utc(entry.changed_at);
  const bool recent =
      entry.changed_at <= now + 86'400'000 && entry.changed_at > now - kHalfAYear;
  const auto when = fmt::format(
      "{} {:>2} {:>5}", kMonths[static_cast<std::size_t>(time.tm_mon)], time.tm_mday,
      recent ? fmt::format("{:02}:{:02}", time.tm_hour, time.tm_min)
             : fmt::format("{}", 1900 + time.tm_year));
  return fmt::format("{} {} vantro vantro {:>12} {} {}",
                     entry.folder ? "drwxr-xr-x" : "-r--r--r--", entry.folder ? 2 : 1,
                     entry.size, when, entry.name);
}

}  // namespace vantro::wire
