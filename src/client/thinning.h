// What retention let go, and what they keep.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// pin, unpin, thin-out
void keeping_commands(const Command& backup);

}  // namespace vantro::client
