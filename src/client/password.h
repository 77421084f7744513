// A password from whoever sits at the terminal, or from a script.
#pragma once

#include <string>

#include "client/api_client.h"

namespace vantro::client {

// At a terminal: asked for without echo, twice. Elsewhere: the first line of standard
// input.
Result<std::string> ask_for_password(const std::string& account);

}  // namespace vantro::client
