// A file or folder in a listing, and its line for people.
#pragma once

#include <cstdint>
#include <ctime>
#include <string>

#include "base/clock.h"

namespace vantro::wire {

struct Entry {
  std::string name;  // without a slash at its end
  bool folder = false;
  std::uint64_t size = 0;  // bytes; of a folder 0
  base::WallTime changed_at = 0;
};

// In the oldest common form: rights, links, owner, group, size, date, name; without a
// line end. Times are UTC; a file older than half a year at `now` has its year in place
// of the time.
std::string list_line(const Entry& entry, base::WallTime now);

// The parts of a time, in UTC.
std::tm utc(base::WallTime time);

}  // namespace vantro::wire
