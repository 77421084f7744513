// What retention removed, and what it keeps.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// backup keep, backup thin
void keeping_commands(const Command& backup);

}  // namespace vantro::client
