#include "crypto/secret.h"

#include <openssl/crypto.h>
#include <openssl/rand.h>
#include <stdexcept>

#include "base/bytes.h"

namespace vantro::crypto {

std::string random_hex(std::size_t bytes) {
  base::ByteBuffer buffer(bytes);
  if (RAND_bytes(buffer.data(), static_cast<int>(buffer.size())) != 1) {
    throw std::runtime_error("the system gives no random numbers");
  }
  return base::to_hex(buffer);
}

std::uint32_t random_below(std::uint32_t bound) {
  const auto hex = random_hex(8);
  // 64 bits reduced to at most 32: the remaining bias is negligible.
  return static_cast<std::uint32_t>(std::stoull(hex, nullptr, 16) % bound);
}

void wipe(std::string& secret) { OPENSSL_cleanse(secret.data(), secret.size()); }

void lock_keys_in_memory() {
  constexpr std::size_t kRoom = 256 << 10;  // of a hundred keys
  constexpr std::size_t kSmallest = 32;
  CRYPTO_secure_malloc_init(kRoom, kSmallest);
}

bool equal_secrets(std::string_view a, std::string_view b) {
  return a.size() == b.size() && CRYPTO_memcmp(a.data(), b.data(), a.size()) == 0;
}

}  // namespace vantro::crypto
