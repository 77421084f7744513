// The file name of an upload under way. It says whose it is without the database, so that
// the remains of a crash or a broken connection can be identified:
//
//   20261123T021407.120-9f3c21d0~backup~127.1.0.7~site%2Fconfig.txt
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "base/clock.h"

namespace vantro::store {

struct ArrivalLabel {
  std::string purpose;  // "image", "backup", "sealed" (an encrypted backup), "reseal"
  std::string from;     // address, or account
  std::string name;     // as the tree shows it

  // `unique` distinguishes two arrivals of one instant. A long name is cut.
  std::string file_name(base::WallTime now, std::string_view unique) const;

  // Nothing if the file was not named by file_name().
  static std::optional<ArrivalLabel> parse(std::string_view file_name);
  // Whether a file of arriving/ or partial/ is an encrypted backup.
  static bool is_sealed(std::string_view file_name);
};

}  // namespace vantro::store
