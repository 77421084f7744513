// What is wrong with what is kept, and with the place where it is kept.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "repository/repository.h"

namespace vantro::desk {

// In sentences; empty: nothing is known to be wrong. May wait for disk and database.
base::Outcome<std::vector<std::string>> trouble(const repository::Repository& repository);

}  // namespace vantro::desk
