#include "crypto/signature.h"

#include <array>
#include <cstdio>
#include <gtest/gtest.h>
#include <sodium.h>
#include <vector>

namespace vantro::crypto {
namespace {

std::string base64(const std::vector<unsigned char>& bytes) {
  std::string text(
      sodium_base64_encoded_len(bytes.size(), sodium_base64_VARIANT_ORIGINAL), '\0');
  sodium_bin2base64(text.data(), text.size(), bytes.data(), bytes.size(),
                    sodium_base64_VARIANT_ORIGINAL);
  text.pop_back();
  return text;
}

// What minisign writes: with the text's hash signed ("ED"), or the text itself ("Ed").
class Maker {
 public:
  Maker() {
    EXPECT_GE(sodium_init(), 0);
    crypto_sign_keypair(public_.data(), secret_.data());
  }
  std::string key() const {
    std::vector<unsigned char> all{'E', 'd'};
    all.insert(all.end(), id_.begin(), id_.end());
    all.insert(all.end(), public_.begin(), public_.end());
    return "untrusted comment: minisign public key\n" + base64(all) + "\n";
  }
  std::string sign(const std::string& text, bool hashed = true) const {
    std::vector<unsigned char> message(text.begin(), text.end());
    if (hashed) {
      message.resize(64);
      crypto_generichash(message.data(), 64,
                         reinterpret_cast<const unsigned char*>(text.data()), text.size(),
                         nullptr, 0);
    }
    std::array<unsigned char, 64> made{};
    crypto_sign_detached(made.data(), nullptr, message.data(), message.size(),
                         secret_.data());
    std::vector<unsigned char> all{'E', static_cast<unsigned char>(hashed ? 'D' : 'd')};
    all.insert(all.end(), id_.begin(), id_.end());
    all.insert(all.end(), made.begin(), made.end());
    const std::string comment = "timestamp:1 file:SHA256SUMS";
    std::vector<unsigned char> over(made.begin(), made.end());
    over.insert(over.end(), comment.begin(), comment.end());
    std::array<unsigned char, 64> whole{};
    crypto_sign_detached(whole.data(), nullptr, over.data(), over.size(), secret_.data());
    return "untrusted comment: signature\n" + base64(all) +
           "\ntrusted comment: " + comment + "\n" + base64({whole.begin(), whole.end()}) +
           "\n";
  }

 private:
  std::array<unsigned char, 8> id_{1, 2, 3, 4, 5, 6, 7, 8};
  std::array<unsigned char, crypto_sign_PUBLICKEYBYTES> public_{};
  std::array<unsigned char, crypto_sign_SECRETKEYBYTES> secret_{};
};

std::string told(const base::Outcome<Signature>& checked) {
  if (!checked) return "refused: " + checked.error().sentence;
  return checked->signer + ", " + checked->comment;
}

TEST(Minisign, KnowsItsMakersSignature) {
  const Maker maker;
  for (const bool hashed : {true, false}) {
    EXPECT_EQ(told(check_signature("list\n", maker.sign("list\n", hashed), maker.key())),
              "minisign key 0807060504030201, timestamp:1 file:SHA256SUMS");
    EXPECT_EQ(
        told(check_signature("list!\n", maker.sign("list\n", hashed), maker.key())),
        "refused: wrong signature: minisign key 0807060504030201 did not sign this list");
  }
  const Maker other;
  EXPECT_FALSE(check_signature("list", other.sign("list"), maker.key()));
}

TEST(Minisign, NoticesEachChangedByteOfItsSignature) {
  const Maker maker;
  const auto signature = maker.sign("list");
  for (std::size_t at = signature.find('\n') + 1; at < signature.size(); ++at) {
    auto changed = signature;
    changed[at] = static_cast<char>(changed[at] ^ 1);
    // The last line's end may be missing.
    if (at + 1 == signature.size()) continue;
    EXPECT_FALSE(check_signature("list", changed, maker.key())) << at;
  }
  for (std::size_t size = 0; size + 1 < signature.size(); ++size) {
    EXPECT_FALSE(check_signature("list", signature.substr(0, size), maker.key())) << size;
  }
}

// Its messages would come between what is printed for people.
TEST(Signature, TheLibraryWritesNothingToStandardError) {
  const std::string block =
      "-----BEGIN PGP PUBLIC KEY BLOCK-----\n\nBBBB\n-----END PGP PUBLIC KEY";
  const std::string signature =
      "-----BEGIN PGP SIGNATURE-----\n\nBBBB\n-----END PGP SIGNATURE";
  testing::internal::CaptureStderr();
  EXPECT_FALSE(check_signature("text", signature, block));
  EXPECT_EQ(testing::internal::GetCapturedStderr(), "");
  // Ours go there as before.
  testing::internal::CaptureStderr();
  std::fputs("own", stderr);
  EXPECT_EQ(testing::internal::GetCapturedStderr(), "own");
}

TEST(Signature, RefusesKeysThatAreNone) {
  const Maker maker;
  EXPECT_EQ(told(check_signature("x", maker.sign("x"), "no key")),
            "refused: the signature is minisign's, but the key is not a minisign key");
  EXPECT_EQ(told(check_signature("x", "no signature", maker.key())),
            "refused: the signature is OpenPGP's, but the key is not an OpenPGP key");
}

}  // namespace
}  // namespace vantro::crypto
