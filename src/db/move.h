// All rows of one database in another one: from a file to PostgreSQL, and back.
#pragma once

#include <cstdint>
#include <functional>

#include "base/outcome.h"
#include "db/database.h"

namespace vantro::db {

// kExists: it has been used, and has rows of its own.
base::Outcome<void> check_unused(Database& database);

struct Moved {
  std::int64_t tables = 0;
  std::int64_t rows = 0;
};

// Asked after each piece, with the rows copied or compared so far and all there are to
// copy and compare; false ends it with kBusy.
using MoveProgress = std::function<bool(std::int64_t done, std::int64_t of)>;

// Copies everything as it is at one moment, in one transaction, and compares each row
// with its copy before that is committed. kExists: `to` has been used; nothing was
// changed. kMismatch: a copy differs; nothing was changed.
base::Outcome<Moved> copy_rows(Database& from, Database& to, const MoveProgress& go_on);

}  // namespace vantro::db
