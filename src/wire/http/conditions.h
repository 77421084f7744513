// Conditional requests (RFC 9110, 13): whether a file is sent at all, and whether a range
// of it may be.
#pragma once

#include <string>
#include <string_view>

#include "base/clock.h"

namespace vantro::wire::http {

// The fields as they came; empty: not there.
struct Conditions {
  std::string_view if_match;
  std::string_view if_none_match;
  std::string_view if_modified_since;
  std::string_view if_unmodified_since;
  std::string_view if_range;
};

// What the file is.
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

// Whether a Range field is to be followed (RFC 9110, 13.1.5): without If-Range, or where
// it names this very file. A date must be the file's to the second.
bool range_applies(const Conditions& conditions, const Validators& file);

}  // namespace vantro::wire::http
