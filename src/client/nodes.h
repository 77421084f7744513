// The commands about the servers that share a database.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// node
void node_commands(const Command& top);

}  // namespace vantro::client
