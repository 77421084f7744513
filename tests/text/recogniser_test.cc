#include "text/recogniser.h"

#include <gtest/gtest.h>

namespace vantro::text {
namespace {

const std::vector<std::string> kAllowed{"maker", "platform", "role", "version"};

std::string refusal(Pattern pattern) {
  const auto made = Recogniser::make(std::move(pattern), kAllowed);
  return made ? "made" : base::in_full(made.error());
}

TEST(Recogniser, ReadsGroupsWordsAndFacts) {
  const auto one = Recogniser::make(
      {"causeway",
       R"((?P<platform>causeway\d+)-(?P<role>sys|boot)-(?P<version>[\d.]+)(-fix)?\.img)",
       {{"maker", "Fenrock"}},
       {{"sys", "system"}}},
      kAllowed);
  ASSERT_TRUE(one) << one.error().sentence;
  const NamedFacts wanted{{"maker", "Fenrock"},
                          {"platform", "causeway4"},
                          {"role", "system"},
                          {"version", "7.6.0"}};
  EXPECT_EQ(one->recognise("causeway4-sys-7.6.0.img"), wanted);
  EXPECT_EQ(one->recognise("folder/causeway4-sys-7.6.0.img"), wanted);
  EXPECT_EQ(one->recognise("causeway4-sys-7.6.0-fix.img"), wanted);
  EXPECT_TRUE(one->recognise("xcauseway4-sys-7.6.0.img").empty());
  EXPECT_TRUE(one->recognise("causeway4-sys-7.6.0.img.part").empty());
  EXPECT_TRUE(one->recognise("").empty());
}

TEST(Recogniser, IsNotSlowForANameMadeToBe) {
  const auto one = Recogniser::make({"x", "(?P<version>(a+)+)b", {}, {}}, kAllowed);
  ASSERT_TRUE(one);
  EXPECT_TRUE(one->recognise(std::string(50'000, 'a')).empty());
}

TEST(Recogniser, SaysWhatIsWrongWithAPattern) {
  EXPECT_EQ(refusal({"x", "(?P<version", {}, {}})
                .rfind("recogniser 'x': the pattern can't be read: ", 0),
            0u);
  EXPECT_EQ(
      refusal({"x", "(?P<verson>.*)", {}, {}}),
      "recogniser 'x': 'verson' is not a fact of an image; there are maker, platform, "
      "role, version; nearest: 'version'");
  EXPECT_EQ(refusal({"x", ".*", {{"colour", "blue"}}, {}})
                .rfind("recogniser 'x': 'colour' is not a fact", 0),
            0u);
  EXPECT_EQ(refusal({"x", ".*", {}, {}}),
            "recogniser 'x' has no group; add one such as (?P<version>...), or "
            "facts");
}

}  // namespace
}  // namespace vantro::text
