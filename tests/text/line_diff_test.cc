#include "text/line_diff.h"

#include <gtest/gtest.h>
#include <random>
#include <set>

namespace vantro::text {
namespace {

using Lines = std::vector<std::string_view>;

LineKeys keys(const Lines& lines) { return {lines.begin(), lines.end()}; }

// "in 3,4: = 4 - 5 + 5" for each hunk, with the numbers before, or after where it is new.
std::string told(const Lines& before, const Lines& after, std::size_t context) {
  std::string text;
  for (const auto& hunk :
       diff_lines(before, after, keys(before), keys(after), context).hunks) {
    text += "[";
    for (const auto number : hunk.sections) {
      text += std::string((hunk.sections_before ? before : after)[number - 1]) + ">";
    }
    for (const auto& line : hunk.lines) {
      using Side = DiffLine::Side;
      text += line.side == Side::kBefore ? " -" : line.side == Side::kAfter ? " +" : " ";
      text += line.side == Side::kAfter ? after[line.after - 1] : before[line.before - 1];
    }
    text += "]";
  }
  return text;
}

TEST(LineDiff, ShowsWhatDiffersWithLinesAroundIt) {
  EXPECT_EQ(told({"a", "b", "c", "d", "e"}, {"a", "b", "x", "d", "e"}, 1),
            "[ b -c +x d]");
  EXPECT_EQ(told({"a"}, {"a"}, 3), "");
  EXPECT_EQ(told({}, {"a"}, 3), "[ +a]");
  EXPECT_EQ(told({"a", "b"}, {}, 3), "[ -a -b]");
}

TEST(LineDiff, PartsDifferencesThatAreFarApartAndJoinsNearOnes) {
  const Lines before{"1", "2", "3", "4", "5", "6", "7", "8", "9"};
  const Lines far{"x", "2", "3", "4", "5", "6", "7", "8", "y"};
  EXPECT_EQ(told(before, far, 1), "[ -1 +x 2][ 8 -9 +y]");
  const Lines near{"x", "2", "3", "y", "5", "6", "7", "8", "9"};
  EXPECT_EQ(told(before, near, 1), "[ -1 +x 2 3 -4 +y 5]");
}

TEST(LineDiff, NamesTheSectionsByIndentation) {
  const Lines before{"router a",    " area 1", "  cost 5",  "  mtu 1500",
                     "interface b", "\tup",    "\tmtu 1500"};
  const Lines after{"router a",    " area 1", "  cost 7",  "  mtu 1500",
                    "interface b", "\tup",    "\tmtu 9000"};
  EXPECT_EQ(told(before, after, 0),
            "[router a> area 1> -  cost 5 +  cost 7][interface b> -\tmtu 1500 +\tmtu "
            "9000]");
  // What is only added is looked for in the text after.
  EXPECT_EQ(told({"a", " b"}, {"a", " b", "  c"}, 0), "[a> b> +  c]");
}

TEST(LineDiff, LinesWithoutAKeyMakeNoDifference) {
  const Lines before{"saved 10:00", "a", "b"};
  const Lines after{"saved 11:00", "and again", "a", "c"};
  auto before_keys = keys(before);
  auto after_keys = keys(after);
  before_keys[0] = after_keys[0] = after_keys[1] = std::nullopt;
  const auto diff = diff_lines(before, after, before_keys, after_keys, 0);
  EXPECT_EQ(diff.removed, 1u);
  EXPECT_EQ(diff.added, 1u);
  ASSERT_EQ(diff.hunks.size(), 1u);
  EXPECT_EQ(diff.hunks[0].lines[0].before, 3u);
}

TEST(LineDiff, ReadsLinesOfEveryForm) {
  EXPECT_EQ(lines_of("a\r\nb\n\nc"), (Lines{"a", "b", "", "c"}));
  EXPECT_EQ(lines_of("a\n"), (Lines{"a"}));
  EXPECT_TRUE(lines_of("").empty());
}

// Whatever the texts are: taking away what is removed and adding what is added makes the
// one out of the other, in order.
TEST(LineDiff, TurnsAnyTextIntoAnyOther) {
  std::mt19937 random(7);
  const Lines words{"a", "b", "c", "d", " e", "  f"};
  for (int run = 0; run < 2000; ++run) {
    Lines before(random() % 30);
    Lines after(random() % 30);
    for (auto* side : {&before, &after}) {
      for (auto& line : *side) line = words[random() % words.size()];
    }
    auto before_keys = keys(before);
    auto after_keys = keys(after);
    for (auto* side : {&before_keys, &after_keys}) {
      for (auto& key : *side) {
        if (key == " e") key.reset();
      }
    }
    const auto diff = diff_lines(before, after, before_keys, after_keys, 1000);
    Lines from;
    Lines to;
    for (const auto& hunk : diff.hunks) {
      for (const auto& line : hunk.lines) {
        if (line.before != 0) from.push_back(before[line.before - 1]);
        if (line.after != 0) to.push_back(after[line.after - 1]);
      }
    }
    if (diff.hunks.empty()) continue;
    ASSERT_EQ(from, before) << "run " << run;
    ASSERT_EQ(to, after) << "run " << run;
  }
}

// 50,000 lines in any order against any other: an answer comes, and it is right.
TEST(LineDiff, GetsThroughWhatHasNoOrderInCommon) {
  std::vector<std::string> texts;
  for (int i = 0; i < 50'000; ++i) texts.push_back("line " + std::to_string(i));
  const Lines before(texts.begin(), texts.end());
  auto after = before;
  std::shuffle(after.begin(), after.end(), std::mt19937(3));
  const auto diff = diff_lines(before, after, keys(before), keys(after), 0);
  EXPECT_EQ(diff.removed, diff.added);
  EXPECT_LT(diff.removed, 50'000u);
}

}  // namespace
}  // namespace vantro::text
