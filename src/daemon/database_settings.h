// The address of a database in the settings.
#pragma once

#include <string>
#include <toml++/toml.h>

#include "base/outcome.h"

namespace vantro::daemon {

// For database.url: an address of PostgreSQL, and without a password, which settings are
// no place for.
base::Outcome<void> check_database_url(const std::string& url);

base::Outcome<void> apply_database_url(std::string& url, const toml::node& node);

}  // namespace vantro::daemon
