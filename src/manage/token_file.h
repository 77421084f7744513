// The operator's token where it stands: a file in the state folder.
#pragma once

#include <string>

#include "base/outcome.h"

namespace vantro::manage {

// Reads it, or makes it at the first start, readable by the owner only.
base::Outcome<std::string> operator_token(const std::string& file);

}  // namespace vantro::manage
