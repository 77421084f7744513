// Escapes text for HTML (its section 13.1.2.3).
#pragma once

#include <string>
#include <string_view>

namespace vantro::base {

// For text between tags and for attributes in double quotes.
std::string html_escaped(std::string_view text);

}  // namespace vantro::base
