// Dates as HTTP writes them.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "base/clock.h"

namespace vantro::base {

// "Sun, 06 Nov 1994 08:49:37 GMT" (RFC 9110, 5.6.7). Reading accepts the two obsolete
// forms as well; nothing for any other text. Milliseconds are cut.
std::string http_date(WallTime time);
std::optional<WallTime> parse_http_date(std::string_view text);

}  // namespace vantro::base
