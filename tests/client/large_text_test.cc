#include "client/large_text.h"

#include <gtest/gtest.h>

#include "client/terminal.h"

namespace vantro::client {
namespace {

std::string joined(const std::vector<std::string>& lines) {
  std::string text;
  for (const auto& line : lines) text += line + "\n";
  return text;
}

TEST(LargeText, IsDrawnInThreeLinesOfHalfBlocks) {
  EXPECT_EQ(joined(large_text("LO 1", 40)),
            "█     ▄▀▀▀▄      ▄█\n"
            "█     █   █       █\n"
            "▀▀▀▀▀  ▀▀▀       ▀▀▀\n");
}

TEST(LargeText, GoesOnInAnotherRowWhereTheColumnsEnd) {
  const auto lines = large_text("LAST BLOCK ACKNOWLEDGED", 80);
  ASSERT_EQ(lines.size(), 7u);
  EXPECT_EQ(lines[3], "");
  for (const auto& line : lines) EXPECT_LE(width(line), 80u);
  for (std::size_t columns = 1; columns < 90; ++columns) {
    for (const auto& line : large_text("LOADING 34 %", columns)) {
      EXPECT_LE(width(line), columns);
    }
  }
}

TEST(LargeText, AWordThatIsTooWideIsLeftToOthers) {
  EXPECT_TRUE(large_text("ACKNOWLEDGED", 40).empty());
  EXPECT_TRUE(large_text("", 40).empty());
}

TEST(LargeText, WhatHasNoLargeFormIsABlank) {
  EXPECT_EQ(joined(large_text("L~L", 40)), joined(large_text("L^L", 40)));
  EXPECT_NE(joined(large_text("L~L", 40)), joined(large_text("LL", 40)));
}

}  // namespace
}  // namespace vantro::client
