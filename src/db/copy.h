// Work on a whole database while others use it: copying it by SQLite's own means (its
// online backup interface, https://www.sqlite.org/backup.html), or row by row where it is
// not SQLite's; and checking a file.
#pragma once

#include <functional>
#include <string>

#include "base/outcome.h"
#include "db/database.h"

namespace vantro::db {

// `to`, an SQLite file whatever the database is, holds everything committed at one
// moment, and is on disk when this returns a value; it must not exist before. `go_on` is
// asked now and then; false ends it with kBusy.
base::Outcome<void> copy_database(Database& from, const std::string& to,
                                  const std::function<bool()>& go_on);

// Reads all of it. kCorrupt: it is damaged. `go_on` is asked now and then; false ends it
// with kBusy.
base::Outcome<void> check_database(const std::string& path,
                                   const std::function<bool()>& go_on);

// The SHA-256 of everything that such a copy has a record of.
base::Outcome<void> each_recorded_content(
    const std::string& copy, const std::function<void(const std::string& sha256)>& take);

}  // namespace vantro::db
