#include "base/typed_time.h"

#include <cctype>
#include <ctime>
#include <map>
#include <sstream>
#include <vector>

#include "base/numbers.h"

namespace vantro::base {
namespace {

constexpr WallTime kSecond = 1000;
constexpr WallTime kMinute = 60 * kSecond;
constexpr WallTime kHour = 60 * kMinute;
constexpr WallTime kDay = 24 * kHour;
constexpr WallTime kLatest = 253'402'300'799'000;  // the end of 9999
constexpr WallTime kLongestCount = 1'000'000'000;

std::string lower(const std::string& text) {
  std::string out;
  for (const char c : text) {
    out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  }
  return out;
}

std::optional<WallTime> length_of(const std::string& unit) {
  static const std::map<std::string, WallTime> kUnits{
      {"s", kSecond},     {"sec", kSecond}, {"second", kSecond}, {"seconds", kSecond},
      {"m", kMinute},     {"min", kMinute}, {"minute", kMinute}, {"minutes", kMinute},
      {"h", kHour},       {"hour", kHour},  {"hours", kHour},    {"d", kDay},
      {"day", kDay},      {"days", kDay},   {"w", 7 * kDay},     {"week", 7 * kDay},
      {"weeks", 7 * kDay}};
  const auto found = kUnits.find(unit);
  if (found == kUnits.end()) return std::nullopt;
  return found->second;
}

// "p30d", "pt4h", "p1dt12h" (ISO 8601, 5.5.2.2), in small letters.
std::optional<WallTime> iso_span(const std::string& text) {
  if (text.size() < 3 || text.front() != 'p') return std::nullopt;
  WallTime all = 0;
  bool of_day = false;
  std::string digits;
  for (const char c : text.substr(1)) {
    if (c == 't' && !of_day && digits.empty()) {
      of_day = true;
    } else if (std::isdigit(static_cast<unsigned char>(c)) != 0) {
      digits += c;
    } else {
      const bool right = of_day ? c == 'h' || c == 'm' || c == 's' : c == 'd' || c == 'w';
      const auto count = parse_number<WallTime>(digits);
      if (!right || !count || *count > kLongestCount) return std::nullopt;
      all += *count * *length_of(std::string(1, c));
      digits.clear();
    }
  }
  if (!digits.empty() || all == 0) return std::nullopt;
  return all;
}

std::vector<std::string> words_of(const std::string& text) {
  std::istringstream in(text);
  std::vector<std::string> words;
  for (std::string one; in >> one;) words.push_back(std::move(one));
  return words;
}

std::optional<WallTime> span_of(const std::string& text) {
  if (const auto iso = iso_span(text)) return iso;
  const auto digits = text.find_first_not_of("0123456789");
  if (digits == 0 || digits == std::string::npos) return std::nullopt;
  const auto count = parse_number<WallTime>(text.substr(0, digits));
  const auto words = words_of(text.substr(digits));
  if (!count || *count == 0 || *count > kLongestCount || words.size() != 1) {
    return std::nullopt;
  }
  const auto length = length_of(words.front());
  if (!length) return std::nullopt;
  return *count * *length;
}

std::tm local(WallTime time) {
  const auto seconds = static_cast<std::time_t>(time / kSecond);
  std::tm parts{};
  ::localtime_r(&seconds, &parts);
  return parts;
}

std::optional<WallTime> of_parts(std::tm parts) {
  parts.tm_isdst = -1;
  const auto seconds = ::mktime(&parts);
  if (seconds == -1) return std::nullopt;
  return static_cast<WallTime>(seconds) * kSecond;
}

// "22:00" or "22:00:30" into the parts of a day.
bool set_time_of_day(std::tm& parts, const std::string& text) {
  for (const auto* form : {"%H:%M:%S", "%H:%M"}) {
    std::tm read{};
    const char* end = ::strptime(text.c_str(), form, &read);
    if (end == nullptr || *end != '\0') continue;
    parts.tm_hour = read.tm_hour;
    parts.tm_min = read.tm_min;
    parts.tm_sec = read.tm_sec;
    return true;
  }
  return false;
}

// A day in words with or without a time, or a time of day alone.
std::optional<WallTime> in_words(const std::string& text, WallTime now, Lies lies) {
  const auto words = words_of(text);
  if (words.empty() || words.size() > 2) return std::nullopt;
  auto parts = local(now);
  if (words.size() == 1 && set_time_of_day(parts, words[0])) {
    auto time = of_parts(parts);
    if (!time) return std::nullopt;
    if (lies == Lies::kBefore && *time > now) --parts.tm_mday;
    if (lies == Lies::kAfter && *time <= now) ++parts.tm_mday;
    return of_parts(parts);
  }
  static const std::map<std::string, int> kDays{
      {"yesterday", -1}, {"today", 0}, {"tomorrow", 1}};
  const auto day = kDays.find(words[0]);
  if (day == kDays.end()) return std::nullopt;
  parts.tm_mday += day->second;
  parts.tm_hour = parts.tm_min = parts.tm_sec = 0;
  if (words.size() == 2 && !set_time_of_day(parts, words[1])) return std::nullopt;
  return of_parts(parts);
}

std::optional<WallTime> on_a_date(const std::string& text) {
  for (const auto* form : {"%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M", "%Y-%m-%d"}) {
    std::tm parts{};
    const char* end = ::strptime(text.c_str(), form, &parts);
    if (end == nullptr || *end != '\0') continue;
    return of_parts(parts);
  }
  std::tm parts{};
  const char* end = ::strptime(text.c_str(), "%Y-%m-%dt%H:%M:%Sz", &parts);
  if (end == nullptr || *end != '\0') return std::nullopt;
  return static_cast<WallTime>(::timegm(&parts)) * kSecond;
}

std::optional<WallTime> read(const std::string& typed, WallTime now, Lies lies) {
  if (const auto iso = parse_iso_time(typed)) return iso;
  const auto text = lower(typed);
  if (text == "now") return now;
  if (const auto time = on_a_date(text)) return time;
  if (const auto time = in_words(text, now, lies)) return time;
  const auto ago = text.find(" ago");
  if (ago != std::string::npos && ago + 4 == text.size()) {
    const auto span = span_of(text.substr(0, ago));
    if (span) return now - *span;
    return std::nullopt;
  }
  const bool in = text.starts_with("in ");
  const auto span = span_of(in ? text.substr(3) : text);
  if (!span) return std::nullopt;
  return in || lies == Lies::kAfter ? now + *span : now - *span;
}

}  // namespace

std::optional<WallTime> parse_typed_time(const std::string& typed, WallTime now,
                                         Lies lies) {
  const auto time = read(typed, now, lies);
  if (!time || *time < 0 || *time > kLatest) return std::nullopt;
  return time;
}

std::optional<WallTime> parse_span(const std::string& typed) {
  const auto span = span_of(lower(typed));
  if (!span || *span > kLatest) return std::nullopt;
  return span;
}

}  // namespace vantro::base
