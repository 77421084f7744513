#include "text/csv.h"

#include <array>
#include <gtest/gtest.h>

#include "text/content.h"

namespace vantro::text {
namespace {

std::string told(std::string_view text) {
  const auto rows = parse_csv(text);
  if (!rows) return rows.error().sentence;
  std::string result;
  for (const auto& row : *rows) {
    result += std::to_string(row.line) + ":";
    for (const auto& field : row.fields) result += "<" + field + ">";
  }
  return result;
}

TEST(Csv, ReadsWhatSpreadsheetsWrite) {
  EXPECT_EQ(told("a,b\r\n1,2\r\n"), "1:<a><b>2:<1><2>");
  EXPECT_EQ(told("\xef\xbb\xbf"
                 "a;b\n\"x;y\";2"),
            "1:<a><b>2:<x;y><2>");
  EXPECT_EQ(told("a\tb\n1\t"), "1:<a><b>2:<1><>");
  EXPECT_EQ(told("a,b\n\"two\nlines\",\"say \"\"so\"\"\"\n3,4\n"),
            "1:<a><b>2:<two\nlines><say \"so\">4:<3><4>");
  EXPECT_EQ(told("# a remark\n\na,b\n"), "3:<a><b>");
  EXPECT_EQ(told(""), "");
}

TEST(Csv, SaysWhereItIsWrong) {
  EXPECT_EQ(told("a,b\n\"no end"), "line 2: a quoted field has no end");
  EXPECT_EQ(told("a,b\n\"x\"y,2"), "line 2: text after a quoted field");
}

TEST(Csv, ReadsWhatItWrote) {
  const std::vector<std::string> fields{"plain",      "a,b", "say \"so\"",
                                        "two\nlines", "",    "#x"};
  const auto rows =
      parse_csv(csv_line({"1", "2", "3", "4", "5", "6"}) + csv_line(fields));
  ASSERT_TRUE(rows);
  EXPECT_EQ(rows->back().fields, fields);
}

TEST(Content, IsTextUntilAByteSaysOtherwise) {
  const auto is_text = [](std::string_view text) {
    ContentTeller teller;
    for (const auto one : text) {
      const auto byte = static_cast<std::uint8_t>(one);
      teller.update({&byte, 1});
    }
    return teller.is_text();
  };
  EXPECT_TRUE(is_text(""));
  EXPECT_TRUE(is_text("hostname a\r\n\tup\f\x1b[0m\n\x1a"));
  EXPECT_TRUE(is_text("Z\xfcrich \xc3\xbc"));
  EXPECT_FALSE(is_text(std::string_view("a\0b", 3)));
  EXPECT_FALSE(
      is_text("\x7f"
              "ELF"));
}

// Bytes are looked at eight at a time.
TEST(Content, FindsEachByteAtEachPlace) {
  for (std::size_t at = 0; at < 19; ++at) {
    for (int value = 0; value < 256; ++value) {
      const auto byte = static_cast<std::uint8_t>(value);
      std::array<std::uint8_t, 19> bytes{};
      bytes.fill(at % 2 == 0 ? 'a' : 0xff);
      bytes[at] = byte;
      ContentTeller alone, among_others;
      alone.update({&byte, 1});
      among_others.update(bytes);
      EXPECT_EQ(among_others.is_text(), alone.is_text()) << value << " at " << at;
    }
  }
}

}  // namespace
}  // namespace vantro::text
