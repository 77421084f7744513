// The person, or the part of the server, that does something at the desk.
#pragma once

#include <optional>
#include <string>

#include "base/address.h"

namespace vantro::desk {

struct Caller {
  std::string name;  // as the ledger has it
  std::string role;  // what it may do: "operator"; "server" for the server itself
  std::optional<base::Address> address = {};  // where from; none: from here
};

// The server itself, as its schedules do something.
inline Caller the_server() { return {"server", "server"}; }

}  // namespace vantro::desk
