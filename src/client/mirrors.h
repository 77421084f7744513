// The servers that mirror this one, and this one as a mirror.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// mirror list, show, sync
void mirror_commands(const Command& top);

}  // namespace vantro::client
