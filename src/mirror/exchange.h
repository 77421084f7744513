// What a mirror and headquarters tell each other; api/mirrors.h has the same as JSON.
#pragma once

#include <cstdint>
#include <string>
#include <utility>
#include <vector>

#include "base/clock.h"
#include "mirror/record.h"
#include "mirror/wants.h"

namespace vantro::mirror {

// A mirror asks for news, and says how it is.
struct Report {
  std::string tag;  // of the records that it has; empty: none
  Wants wants;
  std::string version;             // of its program
  std::uint64_t held = 0;          // contents that it has
  std::uint64_t lacking = 0;       // contents that it wants and does not have
  std::uint64_t missing = 0;       // bytes of them
  double rate = 0;                 // bytes per second, lately; 0: not known
  std::uint64_t rows_waiting = 0;  // of its ledger, not sent yet
  std::string trouble;             // a sentence, or empty
};

// The answer.
struct News {
  std::string tag;   // of the records after these changes
  std::string base;  // the tag that they are changes to; empty: they are all records
  std::int64_t sequence = 0;  // of headquarters' change log
  base::WallTime at = 0;      // by headquarters' clock
  bool sync = false;          // somebody wants it to fetch now, whatever the hour
  std::vector<Key> gone;
  std::vector<std::pair<Key, Record>> fresh;
};

}  // namespace vantro::mirror
