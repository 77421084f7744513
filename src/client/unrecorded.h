// The commands about stored files that have no record.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// unrecorded
void unrecorded_commands(const Command& top);

}  // namespace vantro::client
