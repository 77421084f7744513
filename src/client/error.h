// A failure as JSON, the one form of every command with --json:
// {"error": {"exit_code": 5, "message": "...", "nearest": "..."}}
#pragma once

#include <string>

#include "client/exit_code.h"

namespace vantro::client {

// With an end of line. "nearest" only if a name would have worked.
std::string error_json(const Failure& failure);

}  // namespace vantro::client
