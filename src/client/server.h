// The commands about the server and its transfers.
#pragma once

#include <optional>

#include "client/command_line.h"

namespace vantro::client {

// status
void status_command(const Command& top);
// transfer, contact, watch, ledger
void server_commands(const Command& top);

// Until interrupted, or after `seconds` if given.
Done watch(const Context& context, std::optional<double> seconds);

}  // namespace vantro::client
