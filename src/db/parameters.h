// Named parameters of a statement: ":a, :b" and the values in the order in which the
// names first appear. The libraries under SOCI count repeated names differently, so each
// appearance gets a number of its own before they see the statement.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

namespace vantro::db {

struct Numbered {
  std::string sql;                 // ":p1 ... :p2"
  std::vector<std::size_t> value;  // for each appearance, the index of its value
};

// Text in quotes is left alone.
Numbered numbered(const std::string& sql);

}  // namespace vantro::db
