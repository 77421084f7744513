// How the commands about backups and devices stand on the command line.
#pragma once

#include "client/catalogue_options.h"

namespace vantro::client {

// `with_secrets` is set when a command is to show secrets: it needs another token then.
// It must outlive the commands.
void backup_commands(Commands& commands, bool& with_secrets);
void device_commands(Commands& commands);

}  // namespace vantro::client
