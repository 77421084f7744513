// Giving up root: the server needs ports below 1024, and for rescue sessions the network
// interface; nothing else of root's.
#pragma once

#include <string>

#include "base/outcome.h"

namespace vantro::daemon {

// This process becomes that user, with its groups, and keeps no other permission than
// ports below 1024 (CAP_NET_BIND_SERVICE) and, with `rescues`, packet sockets and
// addresses (CAP_NET_RAW, CAP_NET_ADMIN). Nothing that it starts can get more. The state
// folder is made for the user if it does not exist. Before any thread is started. Refused
// with a sentence: there is no such user, this process is not root, the state folder
// belongs to another user.
base::Outcome<void> become(const std::string& user, const std::string& state,
                           bool rescues);

}  // namespace vantro::daemon
