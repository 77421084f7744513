#include "crypto/password.h"

#include <gtest/gtest.h>

#include "crypto/secret.h"

namespace vantro::crypto {
namespace {

TEST(Password, FitsItsOwnHashOnly) {
  const auto hash = password_hash("two words");
  EXPECT_EQ(hash.substr(0, 30), "$argon2id$v=19$m=65536,t=2,p=1");
  EXPECT_NE(hash, password_hash("two words"));
  EXPECT_TRUE(password_fits(hash, "two words"));
  EXPECT_FALSE(password_fits(hash, "two word"));
  EXPECT_FALSE(password_fits(hash, ""));
  EXPECT_FALSE(password_fits("no hash", "two words"));
}

// It must cost as much as a real one, or names without an account could be told.
TEST(Password, HasAHashThatNoneFits) {
  const auto none = unfitting_hash();
  const auto real = password_hash("two words");
  EXPECT_EQ(none.size(), real.size());
  EXPECT_EQ(none.substr(0, 30), real.substr(0, 30));
  EXPECT_FALSE(password_fits(none, ""));
  EXPECT_FALSE(password_fits(none, "two words"));
}

TEST(KeyedDigest, DependsOnKeyAndText) {
  const auto key = random_hex(32);
  EXPECT_EQ(keyed_digest(key, "a"), keyed_digest(key, "a"));
  EXPECT_NE(keyed_digest(key, "a"), keyed_digest(key, "b"));
  EXPECT_NE(keyed_digest(key, "a"), keyed_digest(random_hex(32), "a"));
}

}  // namespace
}  // namespace vantro::crypto
