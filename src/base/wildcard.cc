#include "base/wildcard.h"

#include <cstddef>
#include <optional>

namespace vantro::base {

bool has_wildcard(std::string_view pattern) {
  return pattern.find_first_of("*?") != std::string_view::npos;
}

bool fits_wildcards(std::string_view pattern, std::string_view name) {
  // Only the last star is ever retried.
  std::size_t at = 0, in_name = 0;
  std::optional<std::size_t> star;
  std::size_t star_ends = 0;
  while (in_name < name.size()) {
    if (at < pattern.size() && pattern[at] == '*') {
      star = at++;
      star_ends = in_name;
    } else if (at < pattern.size() &&
               (pattern[at] == '?' || pattern[at] == name[in_name])) {
      ++at;
      ++in_name;
    } else if (star) {
      at = *star + 1;
      in_name = ++star_ends;
    } else {
      return false;
    }
  }
  return pattern.find_first_not_of('*', at) == std::string_view::npos;
}

}  // namespace vantro::base
