// Names with wildcards, as people type them.
#pragma once

#include <string_view>

namespace vantro::base {

// Whether it holds '*' (anything) or '?' (one byte).
bool has_wildcard(std::string_view pattern);

// Whether the whole name fits; case-sensitive. Takes no longer than the product of both
// lengths.
bool fits_wildcards(std::string_view pattern, std::string_view name);

}  // namespace vantro::base
