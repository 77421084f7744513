// Random values that nobody can guess, and comparison whose time tells nothing.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>

namespace vantro::crypto {

// `bytes` random bytes in hexadecimal. Throws std::runtime_error if the system has no
// randomness.
std::string random_hex(std::size_t bytes);

// Below `bound`, each equally likely. REQUIRES: bound > 0. Throws as above.
std::uint32_t random_below(std::uint32_t bound);

// Overwrites it; the compiler cannot leave this out.
void wipe(std::string& secret);

// From now on, private keys that OpenSSL reads stay in memory that is locked, lies
// between guard pages, and is wiped (CRYPTO_secure_malloc_init(3)). If the system
// provides no such memory, they are in the usual heap.
void lock_keys_in_memory();

bool equal_secrets(std::string_view a, std::string_view b);

}  // namespace vantro::crypto
