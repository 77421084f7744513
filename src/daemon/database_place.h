// Where the metadata is: the file in the state folder, or a PostgreSQL database.
#pragma once

#include <string>

#include "base/log.h"
#include "base/outcome.h"
#include "daemon/settings.h"

namespace vantro::daemon {

// As repository::Opening::database wants it, with the password of database.password_file.
base::Outcome<std::string> database_place(const DatabaseSettings& settings);

// Moves everything that is recorded to `destination`: an address as in database.url, or
// "file". Prints progress and what to do next; returns the exit code.
int move_database(const Settings& settings, const std::string& destination,
                  const base::Log& log);

}  // namespace vantro::daemon
