// The commands that look after the server itself.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// reload, drain, snapshot, notice
void care_commands(const Command& top);

}  // namespace vantro::client
