// The commands about the people who manage the server, and their tokens.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// person, token
void people_commands(const Command& top);

}  // namespace vantro::client
