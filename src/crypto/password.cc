#include "crypto/password.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
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
    throw std::runtime_error("too little memory to hash a password");
  }
  return hash.data();
}

std::string unfitting_hash() {
  need_library();
  const auto random = [](std::size_t bytes) {
    base::ByteBuffer value(bytes);
    randombytes_buf(value.data(), value.size());
    std::string text(
        sodium_base64_encoded_len(bytes, sodium_base64_VARIANT_ORIGINAL_NO_PADDING),
        '\0');
    sodium_bin2base64(text.data(), text.size(), value.data(), value.size(),
                      sodium_base64_VARIANT_ORIGINAL_NO_PADDING);
    text.pop_back();  // its zero
    return text;
  };
  return fmt::format("$argon2id$v=19$m={},t={},p=1${}${}",
                     crypto_pwhash_argon2id_MEMLIMIT_INTERACTIVE / 1024,
                     crypto_pwhash_argon2id_OPSLIMIT_INTERACTIVE,
                     random(crypto_pwhash_argon2id_SALTBYTES), random(32));
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
