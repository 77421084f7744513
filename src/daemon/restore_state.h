// `vantrod --restore`: from a snapshot to a state folder, with words for people.
#pragma once

#include <string>

namespace vantro::daemon {

// The exit code.
int restore_state(const std::string& snapshot, const std::string& state);

}  // namespace vantro::daemon
