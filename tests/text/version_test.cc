#include "text/version.h"

#include <algorithm>
#include <gtest/gtest.h>

namespace vantro::text {
namespace {

// Each list in its order, oldest first.
const std::vector<std::vector<const char*>> kOrders{
    {"7.6.0-dev", "7.6.0-alpha2", "7.6.0-beta1", "7.6.0-beta10", "7.6.0-rc1", "7.6.0-RC2",
     "7.6.0", "7.6.0a", "7.6.0b", "7.6.0.1", "7.6.1", "7.6.9", "7.6.10", "7.10.0",
     "10.0"},
    {"7.6.0", "7.6.0p1", "7.6.0p2", "7.6.0p10", "7.6.0.1"},
    {"12.4(24)T", "12.4(24)T1", "12.4(24)T5", "12.4(25)", "15.0(1)M", "15.2(4)E",
     "15.2(7)E", "15.2(7)E4", "15.2(7)E10", "15.2(7b)E1", "15.3(1)"},
    {"21.4R1", "21.4R3", "21.4R3-S1", "21.4R3-S4", "21.4R3-S10", "22.1R1"},
    {"08.0.30", "8.0.95", "08.0.95d", "8.0.95e", "08.0.100"},
    {"YA.16.05.0003", "YA.16.11.0004", "YA.16.11.0012"},
    {"2023.9", "2023.10", "2024.1-rc1", "2024.1"},
    {"9z", "9aa", "9ab", "9.1"},
    {"R2.0.5", "r2.0.6", "2.0.7"},
    {"1.99999999999999999999999", "1.100000000000000000000000"},
};

TEST(Version, HasTheTradesOrder) {
  for (const auto& order : kOrders) {
    for (std::size_t a = 0; a < order.size(); ++a) {
      for (std::size_t b = 0; b < order.size(); ++b) {
        const Version left(order[a]);
        const Version right(order[b]);
        EXPECT_EQ(left.sort_key() < right.sort_key(), a < b)
            << order[a] << " and " << order[b];
      }
    }
  }
}

TEST(Version, SeesTheSameInOtherSpellings) {
  for (const auto& [a, b] : {std::pair("7.6", "7.6.0"),
                             {"7.6", "7.6.0.0"},
                             {"v7.6.1", "7.6.1"},
                             {"Version 7.6.1", "7.6.1"},
                             {"08.0.95d", "8.0.95D"},
                             {"15.2(7)E4", "15.2.7.E4"},
                             {"7.6-rc1", "7.6.0rc1"},
                             {"0", "0.0"}}) {
    EXPECT_EQ(Version(a).sort_key(), Version(b).sort_key()) << a << " and " << b;
  }
  EXPECT_NE(Version("1").sort_key(), Version("0").sort_key());
  EXPECT_TRUE(Version("...").sort_key().empty());
  EXPECT_TRUE(Version("").sort_key().empty());
}

TEST(Version, TellsItsLine) {
  EXPECT_EQ(Version("7.6.12").line(), "7.6");
  EXPECT_EQ(Version("v15.2(7)E4").line(), "15.2");
  EXPECT_EQ(Version("12").line(), "12");
  EXPECT_EQ(Version("YA.16.11").line(), "");
  EXPECT_EQ(Version("21.4R3").line(), "21.4");
}

TEST(Version, StaysWithinBoundsWhateverIsWritten) {
  const std::string digits(5000, '9');
  EXPECT_LE(Version(digits).sort_key().size(), Version::kLongest + 3);
  EXPECT_EQ(Version(std::string("\0\x01(((", 5)).fields().size(), 0u);
  EXPECT_EQ(Version("\xc3\xa4.1").fields().size(), 2u);
}

TEST(VersionDifference, IsToldFieldByFieldAndInWords) {
  const auto told = [](const char* from, const char* to) {
    return difference(Version(from), Version(to)).sentence;
  };
  EXPECT_EQ(told("7.6.7", "7.6.5"), "older, same line; third number 7 -> 5");
  EXPECT_EQ(told("7.4.2", "7.6.0"),
            "newer, another line; second number 4 -> 6, third number 2 -> 0");
  EXPECT_EQ(told("15.2(7)E4", "15.2(7)E"), "older, same line; fourth number 4 -> none");
  EXPECT_EQ(told("7.6.0-rc2", "7.6.0"),
            "newer, same line; letters 'rc' -> none, fourth number 2 -> none");
  EXPECT_EQ(told("7.6", "7.6.0"), "the same version, spelled '7.6' and '7.6.0'");
  EXPECT_EQ(told("7.6", "7.6"), "the same version");
  EXPECT_EQ(
      told("1.1.1.1", "2.2.2.2"),
      "newer, another line; first number 1 -> 2, second number 1 -> 2, third number "
      "1 -> 2, and more");
}

TEST(EasilyConfused, FindsPairsThatAHandMixesUp) {
  for (const auto& [a, b] : {std::pair("7.6", "7.6.0"),
                             {"7.61", "7.6.1"},
                             {"7.6.12", "7.6.21"},
                             {"7.6.1", "7.6.11"},
                             {"3.1O.1", "3.10.1"},
                             {"15.2(7)E4", "15.27E4"},
                             {"1l.2", "11.2"}}) {
    EXPECT_TRUE(easily_confused(Version(a), Version(b))) << a << " and " << b;
    EXPECT_TRUE(easily_confused(Version(b), Version(a))) << b << " and " << a;
  }
  for (const auto& [a, b] : {std::pair("7.6.0", "7.6.1"),
                             {"7.6.1", "7.6.2"},
                             {"7.6.0", "7.6.0"},
                             {"7.4.2", "7.6.0"},
                             {"", "7.6"},
                             {"7.6.12", "7.5.21"}}) {
    EXPECT_FALSE(easily_confused(Version(a), Version(b))) << a << " and " << b;
  }
}

}  // namespace
}  // namespace vantro::text
