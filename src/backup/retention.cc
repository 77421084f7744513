#include "backup/retention.h"

#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <set>

namespace vantro::backup {
namespace {

constexpr std::int64_t kDayMs = 86'400'000;

std::chrono::sys_days day_of(base::WallTime time) {
  return std::chrono::floor<std::chrono::days>(
      std::chrono::sys_time<std::chrono::milliseconds>(std::chrono::milliseconds(time)));
}

std::string text_of(std::chrono::sys_days day) {
  const std::chrono::year_month_day date(day);
  return fmt::format("{:04}-{:02}-{:02}", static_cast<int>(date.year()),
                     static_cast<unsigned>(date.month()),
                     static_cast<unsigned>(date.day()));
}

// The Monday of its week.
std::string week_of(base::WallTime time) {
  const auto day = day_of(time);
  const auto since_monday =
      std::chrono::weekday(day) - std::chrono::weekday(std::chrono::Monday);
  return text_of(day - since_monday);
}

std::string month_of(base::WallTime time) { return text_of(day_of(time)).substr(0, 7); }

}  // namespace

std::vector<Judged> judge(const std::vector<Revision>& revisions, const KeepRule& rule,
                          const std::vector<std::int64_t>& held, base::WallTime now) {
  std::vector<Judged> judged;
  std::int64_t complete = 0;
  std::set<std::string> weeks;
  std::set<std::string> months;
  for (auto one = revisions.rbegin(); one != revisions.rend(); ++one) {
    Judged result{*one, false, ""};
    // A revision that was seen again last month is as good as one from then.
    const auto age_days = (now - one->last_seen_at) / kDayMs;
    const auto week = week_of(one->last_seen_at);
    const auto month = month_of(one->last_seen_at);
    const bool young = rule.all_days == 0 || age_days < rule.all_days;
    if (one->good()) ++complete;
    if (one->pinned_at) {
      result.why = "pinned" + (one->pinned_why.empty() ? "" : ": " + one->pinned_why);
    } else if (std::find(held.begin(), held.end(), one->id) != held.end()) {
      result.why = "on offer";
    } else if (!one->good()) {
      result.goes = !young;
      result.why = young           ? "not old enough"
                   : one->complete ? "end not confirmed, long ago"
                                   : "interrupted long ago";
    } else if (complete == 1) {
      result.why = "the newest complete one";
    } else if (complete <= rule.at_least) {
      result.why = fmt::format("one of the newest {}", rule.at_least);
    } else if (young) {
      result.why = "not old enough";
    } else if (age_days < rule.weekly_days) {
      result.goes = weeks.contains(week);
      result.why = result.goes
                       ? fmt::format("a newer revision of the week from {} is kept", week)
                       : fmt::format("the newest of the week from {}", week);
    } else if (rule.monthly_days == 0 || age_days < rule.monthly_days) {
      result.goes = months.contains(month);
      result.why = result.goes ? fmt::format("a newer revision of {} is kept", month)
                               : fmt::format("the newest of {}", month);
    } else {
      result.goes = true;
      result.why = fmt::format("older than {} days", rule.monthly_days);
    }
    if (!result.goes && one->good()) {
      weeks.insert(week);
      months.insert(month);
    }
    judged.push_back(std::move(result));
  }
  return judged;
}

}  // namespace vantro::backup
