// The commands about the ledger.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// ledger; ledger verify
void ledger_commands(const Command& top);

}  // namespace vantro::client
