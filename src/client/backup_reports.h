// The commands that show changes and late backups.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// compare, report, overdue
void backup_report_commands(const Command& backup);

}  // namespace vantro::client
