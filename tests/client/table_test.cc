#include "client/table.h"

#include <cstdio>
#include <cstdlib>
#include <gtest/gtest.h>
#include <string>

namespace vantro::client {
namespace {

TEST(Table, AlignsItsColumnsAndTrimsItsLines) {
  Table table({{"NAME"}, {"SIZE", Table::Align::kRight}, {"STATE"}});
  table.add({{"x.img"}, {"9.0 MiB"}, {"on offer"}});
  table.add({{"caf\xc3\xa9"}, {"1 B"}, {""}});
  const Terminal terminal(stdout);
  const auto lines = table.lines(terminal, 200);
  ASSERT_EQ(lines.size(), 3u);
  if (terminal.is_terminal()) return;  // emphasis would stand in between
  EXPECT_EQ(lines[0], "NAME      SIZE  STATE");
  EXPECT_EQ(lines[1], "x.img  9.0 MiB  on offer");
  EXPECT_EQ(lines[2], "caf\xc3\xa9     1 B");
}

TEST(Table, BreaksALastColumnThatDoesNotFit) {
  Table table({{"NAME"}, {"WHY"}});
  table.add({{"x.img"}, {"the device went silent after nine bytes"}});
  const Terminal terminal(stdout);
  if (terminal.is_terminal()) return;  // emphasis would stand in between
  EXPECT_EQ(table.lines(terminal, 30),
            (std::vector<std::string>{"NAME   WHY", "x.img  the device went silent",
                                      "       after nine bytes"}));
  // Beside the name too little is left.
  EXPECT_EQ(table.lines(terminal, 26),
            (std::vector<std::string>{"NAME   WHY", "x.img", "    the device went silent",
                                      "    after nine bytes"}));
  // Or it would make too many lines there; then the others go below as well.
  table.add({{"y.img"},
             {"a sentence that is so long that it would need four lines of its "
              "own here, or five"}});
  const auto lines = table.lines(terminal, 30);
  EXPECT_EQ(lines[2], "    the device went silent");
  EXPECT_EQ(lines[5], "    a sentence that is so long");
  EXPECT_EQ(table.lines(terminal, 20).size(), 3u);  // too narrow to be worth it
}

TEST(Table, BreaksAWordThatIsWiderThanTheLastColumn) {
  Table table({{"NAME"}, {"WHY"}});
  table.add({{"x.img"}, {"'a-name-of-thirty-charact\xc3\xa9rs-x' is not on offer"}});
  const Terminal terminal(stdout);
  if (terminal.is_terminal()) return;  // emphasis would stand in between
  EXPECT_EQ(
      table.lines(terminal, 33),
      (std::vector<std::string>{"NAME   WHY", "x.img  'a-name-of-thirty-charact\xc3\xa9",
                                "       rs-x' is not on offer"}));
}

TEST(Table, CountsTheColumnsThatCharactersTake) {
  EXPECT_EQ(width("abc"), 3u);
  EXPECT_EQ(width("\xe6\xb0\xb4\xe4\xbd\x8d"), 4u);  // two wide ones
  EXPECT_EQ(width("e\xcc\x81"), 1u);                 // a combining accent
  Table table({{"NAME"}, {"STATE"}});
  table.add({{"\xe6\xb0\xb4\xe4\xbd\x8d.img"}, {"on offer"}});
  const Terminal terminal(stdout);
  if (terminal.is_terminal()) return;  // emphasis would stand in between
  EXPECT_EQ(table.lines(terminal, 80)[0], "NAME      STATE");
}

TEST(Table, ShortensLongNamesInTheirMiddle) {
  Table table({{"NAME"}, {"SIZE", Table::Align::kRight}, {"STATE"}});
  table.add({{std::string(30, 'a') + std::string(30, 'z')}, {"9.0 MiB"}, {"on offer"}});
  table.add({{"x.img"}, {"1 B"}, {"held"}});
  const Terminal terminal(stdout);
  if (terminal.is_terminal()) return;  // emphasis would stand in between
  const auto lines = table.lines(terminal, 60);
  ASSERT_EQ(lines.size(), 3u);
  EXPECT_EQ(lines[1],
            std::string(19, 'a') + "..." + std::string(19, 'z') + "  9.0 MiB  on offer");
  EXPECT_EQ(lines[2], "x.img" + std::string(40, ' ') + "1 B    held");
  EXPECT_EQ(shortened("abcdefghij", 7), "ab...ij");
  EXPECT_EQ(shortened("\xe6\xb0\xb4\xe4\xbd\x8d\xe6\xb0\xb4\xe4\xbd\x8d.img", 10),
            "\xe6\xb0\xb4\xe4\xbd\x8d...img");
  EXPECT_EQ(shortened("abc", 3), "abc");
}

TEST(Table, SortsNumbersWithTheirUnitsAndNamesAsPeopleCount) {
  EXPECT_LT(compare_cells("812 B", "1.0 KiB"), 0);
  EXPECT_LT(compare_cells("900 ms", "1.5 s"), 0);
  EXPECT_GT(compare_cells("2 min 5 s", "1.5 s"), 0);
  EXPECT_LT(compare_cells("x-9.img", "x-10.img"), 0);
  EXPECT_LT(compare_cells("Abel", "baker"), 0);
  EXPECT_LT(compare_cells("", "1"), 0);
  EXPECT_LT(compare_cells("2026-11-09 22:00:00", "2026-11-10 06:00:00"), 0);
  EXPECT_EQ(compare_cells("7.6.0", "7.6.0"), 0);
  EXPECT_LT(compare_cells("7.6", "7.6.1"), 0);
}

// What write() prints where COLUMNS has that value.
class TableView : public testing::Test {
 protected:
  std::string written(const char* columns = nullptr) {
    if (columns != nullptr) ::setenv("COLUMNS", columns, 1);
    std::FILE* file = std::tmpfile();
    const Terminal terminal(file, &view_);
    Table table({{"DEVICE", Table::Align::kLeft, 0, true},
                 {"NAME"},
                 {"SIZE", Table::Align::kRight, 1},
                 {"LAST SEEN", Table::Align::kLeft, 2}});
    table.add({{"weir"}, {"b.cfg"}, {"9.0 MiB"}, {"yesterday"}});
    table.add({{"weir"}, {"a.cfg"}, {"31 B"}, {"today"}});
    table.write(terminal);
    ::unsetenv("COLUMNS");
    complaint_ = terminal.complaint();
    std::rewind(file);
    std::string text(2000, '\0');
    text.resize(std::fread(text.data(), 1, text.size(), file));
    std::fclose(file);
    return text;
  }
  View view_;
  std::string complaint_;
};

TEST_F(TableView, LeavesOutWhatMattersLeastAndSaysSo) {
  EXPECT_EQ(written("22"),
            "DEVICE  NAME      SIZE\nweir    b.cfg  9.0 MiB\n        a.cfg   31 B\nAlso: "
            "LAST SEEN (--wide)\n");
  EXPECT_EQ(written("14"),
            "DEVICE  NAME\nweir    b.cfg\n        a.cfg\nAlso: SIZE, LAST "
            "SEEN (--wide)\n");
  view_.wide = true;
  EXPECT_EQ(written("14"), written());
}

TEST_F(TableView, RepeatsNothingOnATerminalAndEverythingForPrograms) {
  EXPECT_EQ(
      written("80"),
      "DEVICE  NAME      SIZE  LAST SEEN\nweir    b.cfg  9.0 MiB  yesterday\n        "
      "a.cfg   31 B    today\n");
  EXPECT_EQ(
      written(),
      "DEVICE  NAME      SIZE  LAST SEEN\nweir    b.cfg  9.0 MiB  yesterday\nweir    "
      "a.cfg   31 B    today\n");
}

TEST_F(TableView, KnowsItsColumnsAlsoWithoutRows) {
  const Terminal terminal(stdout, &view_);
  const Table table({{"NAME"}, {"SIZE"}});
  EXPECT_TRUE(table.has_columns_of(terminal));
  view_.columns = "name,siez";
  EXPECT_FALSE(table.has_columns_of(terminal));
  EXPECT_EQ(terminal.complaint(),
            "unknown column 'siez'; nearest: 'size'; columns: name, size");
  view_.columns = "name";
  view_.sort = "seize";
  EXPECT_FALSE(table.has_columns_of(terminal));
}

TEST_F(TableView, ShowsTheColumnsThatWereChosenInTheirOrder) {
  view_.columns = "last-seen, Name";
  EXPECT_EQ(written(), "LAST SEEN  NAME\nyesterday  b.cfg\ntoday      a.cfg\n");
  view_.columns = "nmae";
  EXPECT_EQ(written(), "");
  EXPECT_EQ(complaint_,
            "unknown column 'nmae'; nearest: 'name'; columns: device, name, size, "
            "last-seen");
}

TEST_F(TableView, SortsByAColumn) {
  view_.sort = "size";
  EXPECT_EQ(written(),
            "DEVICE  NAME      SIZE  LAST SEEN\nweir    a.cfg   31 B    today\nweir    "
            "b.cfg  9.0 MiB  yesterday\n");
  view_.reverse = true;
  view_.columns = "name";
  EXPECT_EQ(written(), "NAME\nb.cfg\na.cfg\n");
}

TEST(Table, MakesWhatComesFromOutsidePrintable) {
  Table table({{"NAME"}});
  table.add({{"a\x1b[2J"}});
  EXPECT_EQ(table.lines(Terminal(stdout), 200)[1], "a\\x1b[2J");
}

}  // namespace
}  // namespace vantro::client
