// Facts of a file or folder, for programs (RFC 3659, 7).
#pragma once

#include <string>
#include <string_view>

#include "base/clock.h"
#include "wire/listing.h"

namespace vantro::wire::ftp {

// "type=file;size=12;modify=20261126180100;perm=r; NAME", without a line end.
struct WantedFacts {
  bool type = true, size = true, modify = true, perm = true;
};
// The argument of OPTS MLST: "type;size;" (RFC 3659, 7.9). Unknown facts are left out.
WantedFacts parse_wanted(std::string_view text);
std::string wanted_text(const WantedFacts& wanted);  // "type;size;"
// For FEAT: the enabled ones have a star.
std::string feature_text(const WantedFacts& wanted);
std::string facts_line(const Entry& entry, const WantedFacts& wanted);

// "20261126180100", in UTC (RFC 3659, 2.3).
std::string time_text(base::WallTime time);

}  // namespace vantro::wire::ftp
