// All commands of vantro, in the order of the help. Each is next to its code.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

void add_commands(const Command& top);

}  // namespace vantro::client
