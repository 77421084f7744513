// The commands about the inventory.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// device
void device_commands(const Command& top);
void site_commands(const Command& top);

}  // namespace vantro::client
