// A file with a secret of the operator's.
#pragma once

#include <string>

#include "base/outcome.h"

namespace vantro::daemon {

// `what` is in it, for the refusal: "keys". kInvalid: others than its owner can read or
// write it. At most 64 KiB are read.
base::Outcome<std::string> read_private_file(const std::string& file,
                                             const std::string& what);

}  // namespace vantro::daemon
