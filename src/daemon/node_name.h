// What this node is called among those of its database, and where its own part of the
// state is.
#pragma once

#include <string>

#include "base/outcome.h"
#include "daemon/settings.h"

namespace toml {
inline namespace v3 {
class node;
}
}  // namespace toml

namespace vantro::daemon {

// kInvalid: it can't be the name of a folder.
base::Outcome<void> apply_node_name(std::string& name, const toml::node& node);

std::string host_name();

// node.name, or the first part of the host's name. Empty: there are no other nodes, as
// the database is a file.
std::string node_of(const Settings& settings);

// The folder of whatever is this node's alone: its lock, its socket, its certificate.
std::string own_state(const Settings& settings);

}  // namespace vantro::daemon
