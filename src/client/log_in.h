// The commands that log in and out, and those about known servers.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// login, logout, server
void log_in_commands(const Command& top);

}  // namespace vantro::client
