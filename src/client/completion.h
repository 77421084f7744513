// Names from the server for the shell's completion.
#pragma once

#include <string>
#include <vector>

#include "client/api_client.h"
#include "client/command_line.h"

namespace vantro::client {

// What can follow `words` (a command line without the program's name, as far as it is
// typed), one name for each; none if nothing is known, or the server does not answer at
// once.
std::vector<std::string> names_for(const CommandLine& line, const Access& access,
                                   const std::vector<std::string>& words);

}  // namespace vantro::client
