// Keeps the ledger from growing for ever: rows over the configured age go into files, and
// then out of the database.
#pragma once

#include <cstdint>
#include <string>

#include "base/clock.h"
#include "base/outcome.h"
#include "repository/repository.h"

namespace vantro::upkeep {

// Writes the rows from before that time to files in `folder` (made if it is missing),
// some ten thousand each, oldest first; then takes them out. A row of the ledger says so
// of each file. A file is on disk before its rows go. Gives how many rows went.
base::Outcome<std::int64_t> export_old_rows(repository::Repository& repository,
                                            base::WallTime before,
                                            const std::string& folder);

}  // namespace vantro::upkeep
