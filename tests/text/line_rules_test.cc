#include "text/line_rules.h"

#include <gtest/gtest.h>

namespace vantro::text {
namespace {

LineRuleSet set(std::vector<LineExpression> expressions) {
  auto made = LineRuleSet::make(std::move(expressions));
  EXPECT_TRUE(made) << made.error().sentence;
  return *made;
}

std::string starred(const LineRules& rules, std::string_view line) {
  return replaced(line, rules.meant(line), [](auto) { return "*"; });
}

TEST(LineRules, MeanTheFirstGroupOrAllOfTheMatch) {
  const auto rules =
      set({{"", R"(key (\S+))"}, {"", R"(at \d+:\d+)"}, {"", R"(x(y)?z)"}}).of("any");
  EXPECT_EQ(starred(rules, "key abc and key def at 10:00"), "key * and key * *");
  EXPECT_EQ(starred(rules, "nothing"), "nothing");
  EXPECT_EQ(starred(rules, ""), "");
  // A group that took no part means nothing.
  EXPECT_EQ(starred(rules, "xz xyz"), "xz x*z");
}

TEST(LineRules, JoinWhatOverlaps) {
  const auto rules = set({{"", "abc"}, {"", "bcd"}, {"", "d"}}).of("");
  EXPECT_EQ(starred(rules, "xabcdx"), "x*x");
}

TEST(LineRules, LeaveALineOutOfWhichNothingIsLeft) {
  const auto rules = set({{"", R"(^! saved .*)"}, {"", R"(uptime \d+)"}}).of("");
  EXPECT_EQ(rules.without("! saved at noon"), std::nullopt);
  EXPECT_EQ(rules.without("  uptime 5"), std::nullopt);
  EXPECT_EQ(rules.without("up, uptime 5"), "up, ");
  // Blank from the beginning is a line as any.
  EXPECT_EQ(rules.without("  "), "  ");
}

TEST(LineRules, HoldForTheirPlatform) {
  const auto all = set({{"", "a"}, {"Sluice", "b"}});
  EXPECT_EQ(starred(all.of("sluice"), "ab"), "*");
  EXPECT_EQ(starred(all.of("other"), "ab"), "*b");
  EXPECT_EQ(starred(all.of(""), "ab"), "*b");
  EXPECT_NE(all.of("sluice").identity(), all.of("other").identity());
  EXPECT_EQ(all.of("other").identity(), all.of("").identity());
  EXPECT_EQ(set({{"sluice", "b"}}).of("other").identity(), "");
}

TEST(LineRules, TakeBytesInAnyEncoding) {
  const auto rules = set({{"", "name (.+)"}}).of("");
  EXPECT_EQ(starred(rules, "name Z\xfcrich"), "name *");
}

TEST(LineRules, RefuseWhatCantBeMeant) {
  EXPECT_NE(LineRuleSet::make({{"", "("}}).error().sentence.find("can't be read"),
            std::string::npos);
  EXPECT_EQ(LineRuleSet::make({{"", "a*"}}).error().sentence,
            "the pattern 'a*' matches an empty line, so it matches everything");
}

}  // namespace
}  // namespace vantro::text
