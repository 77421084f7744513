// Words that can be read from the rack: letters of several lines.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace vantro::client {

// Three lines for each row of letters, and an empty one between rows; as many rows as the
// words need in so many columns. Letters in upper case, digits and a few signs have a
// large form; anything else is a blank. Empty where a word alone is wider than that.
std::vector<std::string> large_text(std::string_view text, std::size_t columns);

}  // namespace vantro::client
