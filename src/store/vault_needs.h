// What the state folder needs from its file system, tried out there. A disk of the
// machine has it all; a network file system that several nodes share may lack some.
#pragma once

#include <string>

#include "base/outcome.h"

namespace vantro::store {

// Tries everything in a folder of its own, which it removes again; takes a moment, and
// a few syncs. kInvalid: the sentence names what is missing, and what it is needed for.
base::Outcome<void> check_file_system(const std::string& folder);

}  // namespace vantro::store
