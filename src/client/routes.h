// The commands about versions that may follow each other.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// route
void route_commands(const Command& top);

}  // namespace vantro::client
