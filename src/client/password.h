// A password from the person at the terminal, or from a script.
#pragma once

#include <optional>
#include <string>

#include "client/api_client.h"

namespace vantro::client {

// At a terminal: asked for without echo, twice. Elsewhere: the first line of standard
// input.
Result<std::string> ask_for_password(const std::string& account);

// The same, once: for an existing one. `what`: "token", "password".
Result<std::string> ask_hidden(const std::string& question, const std::string& what);

// Typed text from the terminal; nothing: there is none.
std::optional<std::string> ask_at_terminal(const std::string& question);

}  // namespace vantro::client
