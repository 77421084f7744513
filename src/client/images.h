// The commands about images.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// image
void image_commands(const Command& top);

}  // namespace vantro::client
