#include "wire/http/conditions.h"

#include <algorithm>

#include "base/http_date.h"
#include "base/visible_name.h"
#include "wire/http/fields.h"

namespace vantro::wire::http {
namespace {

// `weak`: "W/" in front of either is ignored (RFC 9110, 8.8.3.2).
bool names(std::string_view list, const std::string& etag, bool weak) {
  if (base::trimmed(list) == "*") return true;
  for (auto one : list_items(list)) {
    if (weak && one.starts_with("W/")) one.remove_prefix(2);
    if (one == etag) return true;
  }
  return false;
}

base::WallTime whole_seconds(base::WallTime time) { return time / 1000 * 1000; }

}  // namespace

Verdict judge(const Conditions& conditions, const Validators& file) {
  const auto modified = whole_seconds(file.modified_at);
  if (!conditions.if_match.empty()) {
    if (!names(conditions.if_match, file.etag, false)) {
      return Verdict::kPreconditionFailed;
    }
  } else if (const auto since = base::parse_http_date(conditions.if_unmodified_since);
             since && modified > *since) {
    return Verdict::kPreconditionFailed;
  }
  if (!conditions.if_none_match.empty()) {
    if (names(conditions.if_none_match, file.etag, true)) return Verdict::kNotModified;
  } else if (const auto since = base::parse_http_date(conditions.if_modified_since);
             since && modified <= *since) {
    return Verdict::kNotModified;
  }
  return Verdict::kSend;
}

bool range_applies(const Conditions& conditions, const Validators& file) {
  const auto wanted = base::trimmed(conditions.if_range);
  if (wanted.empty()) return true;
  if (wanted.front() == '"') return wanted == file.etag;
  const auto date = base::parse_http_date(wanted);
  return date && *date == whole_seconds(file.modified_at);
}

}  // namespace vantro::wire::http
