// Passwords as Argon2id hashes (RFC 9106) in the usual text form, "$argon2id$v=19$...",
// which holds its own salt and cost.
#pragma once

#include <string>
#include <string_view>

namespace vantro::crypto {

// Takes about a tenth of a second and 64 MiB, like the next one. Throws
// std::runtime_error if that memory is not available.
std::string password_hash(std::string_view password);

// A hash that costs as much to try as those above, and that no password fits: for unknown
// names. Cheap to make.
std::string unfitting_hash();

bool password_fits(const std::string& hash, std::string_view password);

// A keyed short form of a text, for remembering in memory that a password was right
// without keeping it (BLAKE2b, RFC 7693). `key` is crypto::random_hex(32).
std::string keyed_digest(const std::string& key, std::string_view text);

}  // namespace vantro::crypto
