#include "base/http_date.h"

#include <algorithm>
#include <array>
#include <ctime>
#include <fmt/format.h>
#include <vector>

#include "base/numbers.h"

namespace vantro::base {
namespace {

constexpr std::array kDays{"Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"};
constexpr std::array kMonths{"Jan", "Feb", "Mar", "Apr", "May", "Jun",
                             "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"};

std::optional<int> month_of(std::string_view text) {
  const auto found = std::find(kMonths.begin(), kMonths.end(), text);
  if (found == kMonths.end()) return std::nullopt;
  return static_cast<int>(found - kMonths.begin());
}

// "08:49:37"
bool parse_clock(std::string_view text, std::tm& to) {
  if (text.size() != 8 || text[2] != ':' || text[5] != ':') return false;
  const auto hour = parse_number<int>(text.substr(0, 2));
  const auto minute = parse_number<int>(text.substr(3, 2));
  const auto second = parse_number<int>(text.substr(6, 2));
  if (!hour || !minute || !second || *hour > 23 || *minute > 59 || *second > 60)
    return false;
  to.tm_hour = *hour;
  to.tm_min = *minute;
  to.tm_sec = *second;
  return true;
}

bool parse_day(std::string_view day, std::string_view month, std::string_view year,
               std::tm& to) {
  const auto d = parse_number<int>(day);
  const auto m = month_of(month);
  auto y = parse_number<int>(year);
  if (!d || !m || !y || *d < 1 || *d > 31) return false;
  if (year.size() == 2) *y += *y < 70 ? 2000 : 1900;
  if (*y < 1900 || *y > 9999) return false;
  to.tm_mday = *d;
  to.tm_mon = *m;
  to.tm_year = *y - 1900;
  return true;
}

std::vector<std::string_view> words(std::string_view text) {
  std::vector<std::string_view> result;
  while (!text.empty()) {
    const auto end = std::min(text.find(' '), text.size());
    if (end > 0) result.push_back(text.substr(0, end));
    text.remove_prefix(std::min(end + 1, text.size()));
  }
  return result;
}

}  // namespace

std::string http_date(WallTime time) {
  const auto seconds = static_cast<std::time_t>(time / 1000);
  std::tm parts{};
  ::gmtime_r(&seconds, &parts);
  return fmt::format("{}, {:02} {} {:04} {:02}:{:02}:{:02} GMT",
                     kDays[static_cast<std::size_t>(parts.tm_wday)], parts.tm_mday,
                     kMonths[static_cast<std::size_t>(parts.tm_mon)],
                     parts.tm_year + 1900, parts.tm_hour, parts.tm_min, parts.tm_sec);
}

std::optional<WallTime> parse_http_date(std::string_view text) {
  const auto part = words(text);
  std::tm time{};
  bool sound = false;
  if (part.size() == 6 && part[5] == "GMT" && part[0].ends_with(',')) {
    sound = parse_day(part[1], part[2], part[3], time) && parse_clock(part[4], time);
  } else if (part.size() == 4 && part[3] == "GMT" && part[0].ends_with(',') &&
             part[1].size() == 9 && part[1][2] == '-' && part[1][6] == '-') {
    // RFC 850: "Sunday, 06-Nov-94 08:49:37 GMT"
    sound =
        parse_day(part[1].substr(0, 2), part[1].substr(3, 3), part[1].substr(7), time) &&
        parse_clock(part[2], time);
  } else if (part.size() == 5) {
    // asctime: "Sun Nov  6 08:49:37 1994"
    sound = parse_day(part[2], part[1], part[4], time) && parse_clock(part[3], time);
  }
  if (!sound) return std::nullopt;
  return static_cast<WallTime>(::timegm(&time)) * 1000;
}

}  // namespace vantro::base
