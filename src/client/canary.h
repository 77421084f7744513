// The canary from this side: whether the server can be reached over everything that it
// serves, before anybody is at a device.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// canary
void canary_command(const Command& top);

}  // namespace vantro::client
