// The commands about accounts, and where an image can be fetched.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// account, location
void account_commands(const Command& top);
void location_command(const Command& top);

}  // namespace vantro::client
