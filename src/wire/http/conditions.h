// Conditional requests (RFC 9110, 13): whether to send a file at all, and whether to send
// a range of it.
#pragma once

#include <string>
#include <string_view>

#include "base/clock.h"

namespace vantro::wire::http {

// The fields as they arrived; empty: missing.
struct Conditions {
  std::string_view if_match;
  std::string_view if_none_match;
  std::string_view if_modified_since;
  std::string_view if_unmodified_since;
  std::string_view if_range;
};

// The file's validators.
struct Validators {
  std::string etag;  // with its quotes; strong
  base::WallTime modified_at = 0;
};

enum class Verdict {
  kSend,
  kNotModified,         // 304
  kPreconditionFailed,  // 412
};

// In the order of RFC 9110, 13.2.2, for GET and HEAD.
Verdict judge(const Conditions& conditions, const Validators& file);

// Whether to follow a Range field (RFC 9110, 13.1.5): without If-Range, or if it names
// this very file. A date must be the file's to the second.
bool range_applies(const Conditions& conditions, const Validators& file);

}  // namespace vantro::wire::http
