// What a file's name suggests where no recogniser of the settings matches: platform, role
// and version, by the usual shapes of names. Guesses are marked as such, and give way to
// known facts.
#pragma once

#include <string>
#include <vector>

#include "catalog/facts.h"

namespace vantro::catalog {

// "platform", "role" and "version", as far as the name has them.
std::vector<Suggestion> guesses(const std::string& file_name);

}  // namespace vantro::catalog
