// Percent-encoding (RFC 3986, 2.1).
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace vantro::base {

// Everything but letters, digits, '-', '.', '_' and those in `also_plain` as %XX. Longer
// results than `longest` are cut, never inside a %XX.
std::string percent_encoded(std::string_view text, std::string_view also_plain = "~",
                            std::size_t longest = std::string::npos);

// Nothing if a '%' is not followed by two hexadecimal digits.
std::optional<std::string> percent_decoded(std::string_view text);

}  // namespace vantro::base
