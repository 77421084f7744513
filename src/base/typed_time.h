// Times as people type them at a console.
#pragma once

#include <optional>
#include <string>

#include "base/clock.h"

namespace vantro::base {

// The direction of a time that can be read in two ways: "22:00" is the last or the next
// one, "4h" is four hours ago or in four hours.
enum class Lies { kBefore, kAfter };

// What it takes, letter case aside:
//   2026-11-24 06:00   2026-11-24   2026-11-24T05:00:00Z   22:00   22:00:30
//   now   today   yesterday   tomorrow   tomorrow 06:00
//   90m   4h   3d   2w   3 days ago   in 2 hours
//   P30D   PT4H   P1DT12H   P2W              (ISO 8601; months and years have no length)
// Days and times of day are in this machine's zone; "today" begins at 00:00. Nothing for
// anything else, and for times before 1970 or after 9999.
std::optional<WallTime> parse_typed_time(const std::string& typed, WallTime now,
                                         Lies lies);

// The length of "90m", "4h", "3 days", "P30D" in milliseconds, at least one.
std::optional<WallTime> parse_span(const std::string& typed);

}  // namespace vantro::base
