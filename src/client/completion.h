// Names of the server for the shell's completion.
#pragma once

#include <string>
#include <vector>

#include "client/api_client.h"
#include "client/command_line.h"

namespace vantro::client {

// What can stand behind `words` (a command line without the program's name, as far as it
// is typed), one name for each; none where nothing is known, and where the server does
// not answer at once.
std::vector<std::string> names_for(const CommandLine& line, const Access& access,
                                   const std::vector<std::string>& words);

}  // namespace vantro::client
