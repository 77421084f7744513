#include "catalog/facts.h"

#include <gtest/gtest.h>

namespace vantro::catalog {
namespace {

std::string set(const std::string& name, const std::string& text) {
  Facts facts;
  const auto done = set_fact(facts, name, text);
  return done ? fact(facts, name) : "refused: " + base::in_full(done.error());
}

TEST(Facts, AreReadAsTheyAreTyped) {
  EXPECT_EQ(set("platform", " causeway4 , causeway6,,causeway4"), "causeway4, causeway6");
  EXPECT_EQ(set("role", "System"), "system");
  EXPECT_EQ(set("stage", "PROVEN"), "proven");
  EXPECT_EQ(set("space", "800 MiB"), "838860800");
  EXPECT_EQ(set("space", ""), "");
  EXPECT_EQ(set("version", " 7.6.0 "), "7.6.0");
}

TEST(Facts, AreRefusedWithWhatWouldHaveWorked) {
  EXPECT_EQ(
      set("role", "systm"),
      "refused: 'systm' is not a role; there are system, boot, module, recovery, other; "
      "nearest: 'system'");
  EXPECT_EQ(set("stage", "withdrawn").rfind("refused: an image is withdrawn with", 0),
            0u);
  EXPECT_EQ(set("space", "much"),
            "refused: space: 'much' is not a size, such as 812000000 or '800 MiB'");
  EXPECT_EQ(
      set("plattform", "x").rfind("refused: 'plattform' is not a fact of an image", 0),
      0u);
  EXPECT_EQ(set("maker", std::string(201, 'x')),
            "refused: maker: at most 200 bytes, these are 201");
}

TEST(Facts, KnowTheirLine) {
  Facts facts;
  facts.version = "15.2(7)E4";
  EXPECT_EQ(facts.release_line(), "15.2");
  facts.line = "long-term";
  EXPECT_EQ(facts.release_line(), "long-term");
}

TEST(Suggestions, TakeTheFirstRecogniserThatSaysSomethingAndDropWhatCanBeNoFact) {
  std::vector<text::Recogniser> all;
  const auto add = [&](text::Pattern pattern) {
    all.push_back(text::Recogniser::make(std::move(pattern), fact_names()).value());
  };
  add({"one", R"((?P<version>[\d.]+)-(?P<role>\w+)\.img)", {}, {}});
  add({"two", R"((?P<version>.*)\.img)", {{"maker", "Fenrock"}}, {}});
  const auto made = suggestions(all, "dir/7.6-kernel.img");
  // What no recogniser tells is guessed.
  ASSERT_EQ(made.size(), 3u);
  EXPECT_EQ(made[2].fact + "=" + made[2].text, "role=system");
  EXPECT_TRUE(made[2].guessed);
  EXPECT_EQ(made[0].fact + "=" + made[0].text + " " + made[0].origin,
            "version=7.6 name, by recogniser 'one'");
  EXPECT_EQ(made[1].fact + "=" + made[1].text + " " + made[1].origin,
            "maker=Fenrock name, by recogniser 'two'");
}

}  // namespace
}  // namespace vantro::catalog
