// The schema's versions, oldest first. A released version is never edited: a change is a
// new version after it.
#pragma once

#include <string>
#include <vector>

namespace vantro::db {

struct SchemaVersion {
  std::string what;  // for schema_versions, read by people
  std::vector<std::string>
      statements;  // run in order, in one transaction with the record
};

// Version n is element n - 1.
const std::vector<SchemaVersion>& schema_versions();

}  // namespace vantro::db
