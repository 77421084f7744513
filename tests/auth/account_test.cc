#include "auth/account.h"

#include <gtest/gtest.h>

namespace vantro::auth {
namespace {

TEST(Networks, TakesWordsAndNetworksInCidrForm) {
  const auto networks = Networks::parse("Private, 192.0.2.0/24 2001:db8::/32");
  ASSERT_TRUE(networks);
  EXPECT_EQ(networks->text(), "private, 192.0.2.0/24, 2001:db8::/32");
  for (const auto* inside : {"10.1.2.3", "172.31.0.1", "192.168.7.7", "169.254.1.1",
                             "fd00::1", "fe80::1", "192.0.2.255", "2001:db8:1::5"}) {
    EXPECT_TRUE(networks->contains(*base::Address::parse(inside))) << inside;
  }
  for (const auto* outside : {"11.0.0.1", "172.32.0.1", "192.169.0.1", "127.0.0.1",
                              "192.0.3.1", "2001:db9::1", "::1"}) {
    EXPECT_FALSE(networks->contains(*base::Address::parse(outside))) << outside;
  }
}

TEST(Networks, AreEverywhereWhereNoneIsNamed) {
  for (const auto* text : {"", "everywhere", "private everywhere"}) {
    const auto networks = Networks::parse(text);
    ASSERT_TRUE(networks);
    EXPECT_TRUE(networks->everywhere()) << text;
    EXPECT_TRUE(networks->contains(*base::Address::parse("203.0.113.9")));
  }
}

TEST(Networks, SayWhichWordIsNone) {
  EXPECT_EQ(
      Networks::parse("private 192.0.2.1/24").error().sentence,
      "'192.0.2.1/24' is not a network such as 192.0.2.0/24 (no bits set behind the "
      "prefix), no address, and none of private, loopback, everywhere");
}

TEST(Actions, AreReadAndWrittenInOneOrder) {
  EXPECT_EQ(actions_text(*parse_actions("hand-in, FETCH fetch")), "fetch, hand-in");
  EXPECT_EQ(actions_text(*parse_actions("none")), "none");
  EXPECT_EQ(parse_actions("fetch,delete").error().sentence,
            "'delete' is not a right; the rights are fetch, deposit, list, read-back, "
            "hand-in");
}

TEST(AccountName, HasOneSpelling) {
  EXPECT_EQ(*account_name("Night-Shift_2.b"), "night-shift_2.b");
  for (const auto* bad : {"", "a b", "a:b", "a/b", "\xc3\xa9", "a\n"}) {
    EXPECT_FALSE(account_name(bad)) << bad;
  }
  EXPECT_TRUE(account_name(std::string(64, 'a')));
  EXPECT_FALSE(account_name(std::string(65, 'a')));
}

TEST(Password, IsHeldAgainstItsLimits) {
  EXPECT_EQ(sound_password("short").error().sentence,
            "the password has 5 bytes; it must have 8 to 128");
  EXPECT_EQ(sound_password("tab\tin here").error().sentence,
            "the password contains a control character");
  EXPECT_TRUE(sound_password("two words, with \xc3\xa9"));
}

}  // namespace
}  // namespace vantro::auth
