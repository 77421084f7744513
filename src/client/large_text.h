// Letters of several lines, which can be read from the rack.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace vantro::client {

// Three lines for each row of letters, and an empty one between rows; as many rows as the
// words need in that width. Upper-case letters, digits and a few signs have a large form;
// any other character is a blank. Empty if a single word is wider.
std::vector<std::string> large_text(std::string_view text, std::size_t columns);

}  // namespace vantro::client
