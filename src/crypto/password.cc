#include "crypto/password.h"

#include <algorithm>
#include <array>
#include <sodium.h>
#include <stdexcept>

#include "base/bytes.h"

namespace vantro::crypto {
namespace {

void need_library() {
  if (sodium_init() < 0) throw std::runtime_error("libsodium can't be used");
}

}  // namespace

std::string password_hash(std::string_view password) {
  need_library();
  std::array<char, crypto_pwhash_STRBYTES> hash{};
  if (crypto_pwhash_argon2id_str(hash.data(), password.data(), password.size(),
                                 crypto_pwhash_argon2id_OPSLIMIT_INTERACTIVE,
                                 crypto_pwhash_argon2id_MEMLIMIT_INTERACTIVE) != 0) {
    throw std::runtime_error("there is not enough memory to hash a password");
  }
  return hash.data();
}

bool password_fits(const std::string& hash, std::string_view password) {
  need_library();
  return crypto_pwhash_argon2id_str_verify(hash.c_str(), password.data(),
                                           password.size()) == 0;
}

std::string keyed_digest(const std::string& key, std::string_view text) {
  need_library();
  std::array<unsigned char, crypto_generichash_BYTES> digest{};
  const auto bytes = base::as_bytes(text);
  crypto_generichash(digest.data(), digest.size(), bytes.data(), bytes.size(),
                     reinterpret_cast<const unsigned char*>(key.data()),
                     std::min<std::size_t>(key.size(), crypto_generichash_KEYBYTES_MAX));
  return base::to_hex(digest);
}

}  // namespace vantro::crypto
