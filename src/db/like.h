// Patterns of LIKE, in the form that SQLite and PostgreSQL share: "like :p escape '\\'".
#pragma once

#include <string>
#include <string_view>

namespace vantro::db {

// LIKE's own wildcards in the text are escaped, so that it stands for itself.
inline std::string like(std::string_view text) {
  std::string pattern;
  for (const char c : text) {
    if (c == '%' || c == '_' || c == '\\') pattern += '\\';
    pattern += c;
  }
  return pattern;
}

}  // namespace vantro::db
