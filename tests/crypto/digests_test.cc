#include "crypto/digests.h"

#include <algorithm>
#include <array>
#include <gtest/gtest.h>
#include <thread>
#include <vector>

#include "crypto/digest_helpers.h"
#include "crypto/secret.h"

namespace vantro::crypto {
namespace {

// Vectors: RFC 1321 A.5 (MD5), FIPS 180-4 examples ("abc").
TEST(Digester, GivesAllFourInOnePass) {
  Digester digester;
  digester.update(base::as_bytes("a"));
  digester.update({});
  digester.update(base::as_bytes("bc"));
  const auto digests = digester.finish();
  EXPECT_EQ(digests.md5, "900150983cd24fb0d6963f7d28e17f72");
  EXPECT_EQ(digests.sha1, "a9993e364706816aba3e25717850c26c9cd0d89d");
  EXPECT_EQ(digests.sha256,
            "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
  EXPECT_EQ(digests.sha512,
            "ddaf35a193617abacc417349ae20413112e6fa4e89a97ea20a9eeee64b55d39a"
            "2192992a274fc1a836ba3c23a3feebbd454d4423643ce80e2a9ac94fa54ca49f");
}

TEST(Expected, IsReadWithOrWithoutItsAlgorithm) {
  const std::string hex(32, 'A');
  for (const auto& text : {hex, "md5:" + hex, "MD5:" + hex, " " + hex + " "}) {
    const auto expected = Expected::parse(text);
    ASSERT_TRUE(expected) << text;
    EXPECT_EQ(expected->algorithm, Algorithm::kMd5);
    EXPECT_EQ(expected->hex, std::string(32, 'a'));
  }
  EXPECT_EQ(Expected::parse("SHA-256:" + std::string(64, '0'))->algorithm,
            Algorithm::kSha256);
  EXPECT_EQ(Expected::parse(std::string(128, '0'))->algorithm, Algorithm::kSha512);
}

TEST(Expected, SaysWhatIsWrongWithIt) {
  const auto sentence = [](const std::string& text) {
    const auto expected = Expected::parse(text);
    return expected ? "taken" : expected.error().sentence;
  };
  EXPECT_EQ(sentence("crc32:00000000"),
            "'crc32' is not a known checksum algorithm; use md5, sha1, sha256 or "
            "sha512");
  EXPECT_EQ(sentence("sha256:" + std::string(63, '0')),
            "the checksum has 63 digits; SHA-256 has 64. Was it copied completely?");
  EXPECT_EQ(sentence("0011"),
            "the checksum has 4 digits; MD5 has 32, SHA-1 40, SHA-256 64, SHA-512 128. "
            "Was it copied completely?");
  EXPECT_EQ(sentence("xyz"), "'xyz' is not a checksum: it must be hexadecimal digits");
  EXPECT_EQ(sentence(""), "'' is not a checksum: it must be hexadecimal digits");
}

TEST(Secret, IsLongAndNeverTheSame) {
  EXPECT_EQ(random_hex(24).size(), 48u);
  EXPECT_NE(random_hex(24), random_hex(24));
  EXPECT_TRUE(equal_secrets("abc", "abc"));
  EXPECT_FALSE(equal_secrets("abc", "abd"));
  EXPECT_FALSE(equal_secrets("abc", "abcd"));
}

Digests digests_of(const std::string& bytes, Digester::Extent extent,
                   const std::vector<Algorithm>& needed = {},
                   DigestHelpers* helpers = nullptr) {
  Digester digester(extent, helpers);
  for (const auto algorithm : needed) digester.need(algorithm);
  for (std::size_t at = 0; at < bytes.size(); at += 50'000) {
    digester.update(base::as_bytes(bytes.substr(at, 50'000)));
  }
  return digester.finish();
}

TEST(Digester, OfALargeFileComputesOnlyWhatIsNeeded) {
  DigestHelpers helpers(2);
  const std::string small(Digester::kAllUpTo, 's');
  const std::string large(Digester::kAllUpTo + 1, 'l');
  const auto all = digests_of(large, Digester::Extent::kAll);
  for (auto* with : {static_cast<DigestHelpers*>(nullptr), &helpers}) {
    EXPECT_EQ(digests_of(small, Digester::Extent::kSha256OfLarge, {}, with),
              digests_of(small, Digester::Extent::kAll));
    EXPECT_EQ(digests_of(large, Digester::Extent::kSha256OfLarge, {}, with),
              (Digests{"", "", all.sha256, ""}));
    EXPECT_EQ(digests_of(large, Digester::Extent::kSha256OfLarge,
                         {Algorithm::kMd5, Algorithm::kSha512}, with),
              (Digests{all.md5, "", all.sha256, all.sha512}));
    EXPECT_EQ(digests_of(large, Digester::Extent::kSha256, {}, with),
              (Digests{"", "", all.sha256, ""}));
  }
}

TEST(Digester, WhatIsNeededTooLateIsLeftOut) {
  Digester digester(Digester::Extent::kSha256OfLarge);
  digester.update(base::as_bytes(std::string(Digester::kAllUpTo + 1, 'l')));
  digester.need(Algorithm::kMd5);
  digester.update(base::as_bytes("more"));
  const auto digests = digester.finish();
  EXPECT_EQ(digests.md5, "");
  EXPECT_FALSE(digests.complete());
}

// Many uploads at once share few helpers: each gets the digests of its own bytes.
TEST(DigestHelpers, ShareTheWorkOfManyWithoutMixingIt) {
  DigestHelpers helpers(2);
  std::vector<std::thread> threads;
  std::array<bool, 8> right{};
  for (std::size_t i = 0; i < right.size(); ++i) {
    threads.emplace_back([&, i] {
      const std::string bytes(50'000 + 7 * i, static_cast<char>('a' + i));
      Digester shared(Digester::Extent::kAll, &helpers);
      Digester alone;
      for (int piece = 0; piece < 40; ++piece) {
        shared.update(base::as_bytes(bytes));
        alone.update(base::as_bytes(bytes));
      }
      right[i] = shared.finish() == alone.finish();
    });
  }
  for (auto& one : threads) one.join();
  EXPECT_EQ(std::count(right.begin(), right.end(), true), 8);
}

TEST(DigestHelpers, LeaveTheWorkToTheCallerWhereThereAreNone) {
  DigestHelpers none(0);
  Digester shared(Digester::Extent::kAll, &none);
  Digester alone;
  const std::string bytes(100'000, 'x');
  shared.update(base::as_bytes(bytes));
  alone.update(base::as_bytes(bytes));
  EXPECT_EQ(shared.finish(), alone.finish());
}

}  // namespace
}  // namespace vantro::crypto
