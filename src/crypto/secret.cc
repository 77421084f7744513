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

bool equal_secrets(std::string_view a, std::string_view b) {
  return a.size() == b.size() && CRYPTO_memcmp(a.data(), b.data(), a.size()) == 0;
}

}  // namespace vantro::crypto
