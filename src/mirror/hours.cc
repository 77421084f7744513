#include "mirror/hours.h"

#include <algorithm>
#include <charconv>
#include <ctime>
#include <fmt/format.h>

namespace vantro::mirror {
namespace {

constexpr int kDay = 24 * 60;  // minutes
constexpr base::WallTime kMinute = 60'000;

int minute_of_day(base::WallTime time) {
  const auto seconds = static_cast<std::time_t>(time / 1000);
  std::tm local{};
  ::localtime_r(&seconds, &local);
  return local.tm_hour * 60 + local.tm_min;
}

// "06:30"; 24:00 is the end of the day.
std::optional<int> minute_in(std::string_view text) {
  if (text.size() != 5 || text[2] != ':') return std::nullopt;
  const auto number = [&](std::size_t at) {
    int value = -1;
    const auto* end = text.data() + at + 2;
    return std::from_chars(text.data() + at, end, value).ptr == end ? value : -1;
  };
  const auto hour = number(0), minute = number(3);
  if (hour < 0 || minute < 0 || minute > 59 || hour * 60 + minute > kDay) {
    return std::nullopt;
  }
  return hour * 60 + minute;
}

std::string_view trimmed(std::string_view text) {
  while (text.starts_with(' ')) text.remove_prefix(1);
  while (text.ends_with(' ')) text.remove_suffix(1);
  return text;
}

}  // namespace

base::Outcome<Hours> Hours::parse(std::string_view text) {
  Hours hours;
  hours.text_ = text;
  for (bool more = !text.empty(); more;) {
    const auto comma = text.find(',');
    const auto part = trimmed(text.substr(0, comma));
    more = comma != std::string_view::npos;
    if (more) text.remove_prefix(comma + 1);
    const auto dash = part.find('-');
    const auto from = minute_in(trimmed(part.substr(0, dash)));
    const auto until = dash == std::string_view::npos
                           ? std::nullopt
                           : minute_in(trimmed(part.substr(dash + 1)));
    if (!from || !until || *from == *until || *from == kDay) {
      return base::refuse(base::Kind::kInvalid,
                          fmt::format("'{}' is not a time of day; example: "
                                      "\"20:00-06:00\"",
                                      part));
    }
    hours.spans_.emplace_back(*from, *until);
  }
  return hours;
}

bool Hours::contains_minute(int minute) const {
  if (spans_.empty()) return true;
  return std::any_of(spans_.begin(), spans_.end(), [&](const auto& span) {
    const auto [from, until] = span;
    if (from < until) return minute >= from && minute < until;
    return minute >= from || minute < until;
  });
}

bool Hours::contains(base::WallTime time) const {
  return contains_minute(minute_of_day(time));
}

base::WallTime Hours::next(base::WallTime time) const {
  // By the minute: the day on which the clocks change has other lengths.
  for (int i = 0; i <= kDay + 60; ++i) {
    if (contains(time)) return time;
    time += kMinute - time % kMinute;
  }
  return time;
}

}  // namespace vantro::mirror
