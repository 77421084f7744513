#include "wire/http/fields.h"

#include <algorithm>
#include <array>
#include <ctime>
#include <fmt/format.h>

#include "base/base64.h"
#include "base/numbers.h"
#include "base/visible_name.h"

namespace vantro::wire::http {
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
  const auto hour = base::parse_number<int>(text.substr(0, 2));
  const auto minute = base::parse_number<int>(text.substr(3, 2));
  const auto second = base::parse_number<int>(text.substr(6, 2));
  if (!hour || !minute || !second || *hour > 23 || *minute > 59 || *second > 60)
    return false;
  to.tm_hour = *hour;
  to.tm_min = *minute;
  to.tm_sec = *second;
  return true;
}

bool parse_day(std::string_view day, std::string_view month, std::string_view year,
               std::tm& to) {
  const auto d = base::parse_number<int>(day);
  const auto m = month_of(month);
  auto y = base::parse_number<int>(year);
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

// 0 to 1000; 1000 where there is none (RFC 9110, 12.4.2).
int quality(std::string_view parameters) {
  while (!parameters.empty()) {
    const auto end = std::min(parameters.find(';'), parameters.size());
    const auto one = base::folded(base::trimmed(parameters.substr(0, end)));
    parameters.remove_prefix(std::min(end + 1, parameters.size()));
    if (!one.starts_with("q=")) continue;
    const auto value = one.substr(2);
    if (value.empty() || (value[0] != '0' && value[0] != '1')) return 0;
    int result = (value[0] - '0') * 1000;
    int place = 100;
    for (std::size_t i = 2; i < value.size() && place > 0; ++i, place /= 10) {
      if (value[i] < '0' || value[i] > '9') return 0;
      result += (value[i] - '0') * place;
    }
    return std::min(result, 1000);
  }
  return 1000;
}

}  // namespace

std::vector<std::string_view> list_items(std::string_view field) {
  std::vector<std::string_view> items;
  std::size_t start = 0;
  bool quoted = false;
  for (std::size_t i = 0; i <= field.size(); ++i) {
    if (i < field.size()) {
      if (field[i] == '"') quoted = !quoted;
      if (quoted && field[i] == '\\' && i + 1 < field.size()) ++i;
      if (quoted || field[i] != ',') continue;
    }
    const auto one = base::trimmed(field.substr(start, i - start));
    if (!one.empty()) items.push_back(one);
    start = i + 1;
  }
  return items;
}

std::string http_date(base::WallTime time) {
  const auto seconds = static_cast<std::time_t>(time / 1000);
  std::tm parts{};
  ::gmtime_r(&seconds, &parts);
  return fmt::format("{}, {:02} {} {:04} {:02}:{:02}:{:02} GMT",
                     kDays[static_cast<std::size_t>(parts.tm_wday)], parts.tm_mday,
                     kMonths[static_cast<std::size_t>(parts.tm_mon)],
                     parts.tm_year + 1900, parts.tm_hour, parts.tm_min, parts.tm_sec);
}

std::optional<base::WallTime> parse_http_date(std::string_view text) {
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
  return static_cast<base::WallTime>(::timegm(&time)) * 1000;
}

std::optional<Credentials> parse_basic(std::string_view field) {
  constexpr std::string_view kScheme = "basic ";
  if (base::folded(field.substr(0, kScheme.size())) != kScheme) return std::nullopt;
  const auto bytes = base::parse_base64(base::trimmed(field.substr(kScheme.size())));
  if (!bytes) return std::nullopt;
  const auto text = base::as_text(*bytes);
  const auto colon = text.find(':');
  if (colon == std::string_view::npos) return std::nullopt;
  return Credentials{std::string(text.substr(0, colon)),
                     std::string(text.substr(colon + 1))};
}

Form wanted_form(std::string_view accept) {
  int text = -1, json = -1, html = -1;
  for (const auto item : list_items(accept)) {
    const auto semicolon = std::min(item.find(';'), item.size());
    const auto type = base::folded(base::trimmed(item.substr(0, semicolon)));
    const auto q = quality(item.substr(std::min(semicolon + 1, item.size())));
    if (type == "text/plain") text = std::max(text, q);
    if (type == "text/*") text = std::max(text, q - 1);
    if (type == "*/*") text = std::max(text, q - 2);
    if (type == "application/json" || type == "application/problem+json") {
      json = std::max(json, q);
    }
    if (type == "application/*") json = std::max(json, q - 3);
    if (type == "text/html") html = std::max(html, q);
  }
  if (html > 0 && html >= json && html >= text) return Form::kHtml;
  if (json > 0 && json > text) return Form::kJson;
  return Form::kText;
}

}  // namespace vantro::wire::http
