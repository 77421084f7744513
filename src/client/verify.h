// Reads everything in store again.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// verify; exits with kChecksum if something is damaged.
void verify_command(const Command& top);

}  // namespace vantro::client
