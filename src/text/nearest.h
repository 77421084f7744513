// The name that was most likely meant, for refusals that help.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace vantro::text {

// Insertions, deletions, replacements and swaps of neighbours that turn a into b (optimal
// string alignment), counted in bytes, with no difference made between ASCII cases.
// Stops early and returns `limit + 1` where there are more than `limit`.
std::size_t slips(std::string_view a, std::string_view b, std::size_t limit);

// The candidate with the fewest slips, if they are few for the name's length (a third of
// it, at least two); the first in the given order where several are as near. A candidate
// that only lacks or adds folders in front, or an ending, counts as near. `asked` is read
// up to 255 bytes.
std::optional<std::string> nearest(std::string_view asked,
                                   const std::vector<std::string>& candidates);

}  // namespace vantro::text
