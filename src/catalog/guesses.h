// What a file's name tells where no recogniser of the user's fits: platform, role and
// version, by the shapes that names usually have. Guesses are marked as such, and give
// way to anything that is known.
#pragma once

#include <string>
#include <vector>

#include "catalog/facts.h"

namespace vantro::catalog {

// "platform", "role" and "version", as far as the name has them.
std::vector<Suggestion> guesses(const std::string& file_name);

}  // namespace vantro::catalog
