// What names tell without any recogniser.
#include "catalog/guesses.h"

#include <gtest/gtest.h>

namespace vantro::catalog {
namespace {

std::string told(const std::string& name) {
  std::string text;
  for (const auto& one : guesses(name)) {
    EXPECT_TRUE(one.guessed);
    EXPECT_FALSE(one.origin.empty());
    text += (text.empty() ? "" : ", ") + one.fact + " " + one.text;
  }
  return text;
}

TEST(Guesses, TellPlatformRoleAndVersionByTheUsualShapes) {
  EXPECT_EQ(told("sluice900-system-7.4.2.img"),
            "version 7.4.2, role system, platform sluice900");
  EXPECT_EQ(told("north/Culvert24_Boot_v3.1.bin"),
            "version 3.1, role boot, platform culvert24");
  EXPECT_EQ(told("weir5-firmware-12.1.0-rc2.tar"),
            "version 12.1.0-rc2, role system, platform weir5");
  EXPECT_EQ(told("pump.r2.10.0.pkg"), "version 2.10.0");
}

TEST(Guesses, AreNoneWhereNothingLooksLikeIt) {
  EXPECT_EQ(told("image.bin"), "");
  EXPECT_EQ(told("sha256-list.txt"), "");
  EXPECT_EQ(told("build12-notes.txt"), "");
  EXPECT_EQ(told("boot2.img"), "");
  EXPECT_EQ(told("a.b.c"), "");
}

}  // namespace
}  // namespace vantro::catalog
