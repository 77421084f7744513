// The commands that give single revisions away: to a device, to the catalogue.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// offer, adopt
void backup_offer_commands(const Command& backup);

}  // namespace vantro::client
