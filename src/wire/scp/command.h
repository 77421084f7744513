// The command that an SCP client runs on the server: "scp -t NAME" to send, "scp -f NAME"
// to fetch. There is no RFC; this is what clients send.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"

namespace vantro::wire::scp {

struct Command {
  bool sends = false;      // the client sends (-t); else it fetches (-f)
  bool recursive = false;  // -r
  bool folder = false;     // -d: the target must be a folder
  bool times = false;      // -p
  // As a shell would separate them; unchanged if a quote is not closed.
  std::vector<std::string> paths;
  // Everything after the flags, unchanged, for clients that do not quote: "my file.cfg".
  std::string unparted;
};

// Nothing: it is another command. kInvalid: it is scp, but malformed.
base::Outcome<std::optional<Command>> parse_command(std::string_view line);

}  // namespace vantro::wire::scp
