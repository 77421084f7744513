// The commands about offers.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// offer
void offer_commands(const Command& top);

}  // namespace vantro::client
