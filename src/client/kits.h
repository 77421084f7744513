// The commands about kits: images that belong together.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// kit
void kit_commands(const Command& top);

}  // namespace vantro::client
