// Problems with stored data, and with the place where it is stored.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "repository/repository.h"

namespace vantro::desk {

// In sentences; empty: no known problem. May wait for disk and database.
base::Outcome<std::vector<std::string>> trouble(const repository::Repository& repository);

}  // namespace vantro::desk
