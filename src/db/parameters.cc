#include "db/parameters.h"

#include <algorithm>

namespace vantro::db {
namespace {

bool is_of_name(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
         c == '_';
}

}  // namespace

Numbered numbered(const std::string& sql) {
  Numbered result;
  std::vector<std::string> names;
  for (std::size_t at = 0; at < sql.size();) {
    const char c = sql[at];
    if (c == '\'' || c == '"') {
      // A doubled quote inside is two quoted parts beside each other.
      const auto end = std::min(sql.find(c, at + 1), sql.size() - 1);
      result.sql.append(sql, at, end + 1 - at);
      at = end + 1;
      continue;
    }
    if (c != ':' || at + 1 >= sql.size() || !is_of_name(sql[at + 1])) {
      result.sql += c;
      ++at;
      continue;
    }
    auto end = at + 1;
    while (end < sql.size() && is_of_name(sql[end])) ++end;
    const auto name = sql.substr(at + 1, end - at - 1);
    const auto known = std::find(names.begin(), names.end(), name);
    result.value.push_back(static_cast<std::size_t>(known - names.begin()));
    if (known == names.end()) names.push_back(name);
    result.sql += ":p" + std::to_string(result.value.size());
    at = end;
  }
  return result;
}

}  // namespace vantro::db
