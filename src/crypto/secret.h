// Random values that nobody can guess, and comparison that tells nothing by its timing.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>

namespace vantro::crypto {

// `bytes` random bytes in hexadecimal. Throws std::runtime_error where the system has no
// randomness to give.
std::string random_hex(std::size_t bytes);

bool equal_secrets(std::string_view a, std::string_view b);

}  // namespace vantro::crypto
