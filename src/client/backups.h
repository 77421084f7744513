// The commands about backups.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// backup
void backup_commands(const Command& top);

// "3 h ago"
std::string ago(const std::string& iso);
// "revision 3 of site.cfg from pump"
std::string title_of(const api::Backup& backup);

}  // namespace vantro::client
