// Random values that nobody can guess, and comparison that tells nothing by its timing.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>

namespace vantro::crypto {

// `bytes` random bytes in hexadecimal. Throws std::runtime_error where the system has no
// randomness to give.
std::string random_hex(std::size_t bytes);

// Below `bound`, each as likely as the others. REQUIRES: bound > 0. Throws as the above.
std::uint32_t random_below(std::uint32_t bound);

// Overwrites it, whatever the compiler thinks of that.
void wipe(std::string& secret);

// Private keys that OpenSSL reads from now on stay in memory that is locked, stands
// between pages that nobody may touch, and is wiped (CRYPTO_secure_malloc_init(3)). Where
// the system gives no such memory they are where everything else is.
void lock_keys_in_memory();

bool equal_secrets(std::string_view a, std::string_view b);

}  // namespace vantro::crypto
