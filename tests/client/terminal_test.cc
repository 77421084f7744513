#include "client/terminal.h"

#include <gtest/gtest.h>

#include "client/render.h"

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
  EXPECT_EQ(lines[2], "caf\xc3\xa9       1 B");
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
  // Or it would make too many lines there.
  table.add({{"y.img"},
             {"a sentence that is so long that it would need four lines of its "
              "own here, or five"}});
  EXPECT_EQ(table.lines(terminal, 30)[4], "    a sentence that is so long");
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

TEST(Table, NarrowsWhatIsTooWideForTheTerminal) {
  Table table({{"NAME"}, {"SIZE", Table::Align::kRight}, {"STATE"}});
  table.add({{std::string(60, 'a')}, {"9.0 MiB"}, {"on offer"}});
  table.add({{"x.img"}, {"1 B"}, {"held"}});
  const Terminal terminal(stdout);
  if (terminal.is_terminal()) return;  // emphasis would stand in between
  const auto lines = table.lines(terminal, 60);
  ASSERT_EQ(lines.size(), 4u);
  EXPECT_EQ(lines[1], std::string(41, 'a') + "  9.0 MiB  on offer");
  EXPECT_EQ(lines[2], std::string(19, 'a'));
  EXPECT_EQ(lines[3], "x.img" + std::string(42, ' ') + "1 B  held");
}

TEST(Terminal, LetsNothingThroughThatDrivesATerminal) {
  const auto written = [](auto write) {
    std::FILE* file = std::tmpfile();
    write(Terminal(file));
    std::rewind(file);
    std::string text(1000, '\0');
    text.resize(std::fread(text.data(), 1, text.size(), file));
    std::fclose(file);
    return text;
  };
  EXPECT_EQ(written([](const Terminal& t) {
              t.write(
                  "a\tb\n\x1b[2J\r\xc2\x9b"
                  "1m \xe2\x80\xae \x1b[2mfaint\x1b[0m\n");
            }),
            "a\tb\n\\x1b[2J\\x0d\\xc2\\x9b"
            "1m \\xe2\\x80\\xae \x1b[2mfaint\x1b[0m\n");
  // A program reads it.
  EXPECT_EQ(written([](const Terminal& t) { t.write_json("\"\xc2\x9b\""); }),
            "\"\xc2\x9b\"");
}

TEST(Table, MakesWhatComesFromOutsidePrintable) {
  Table table({{"NAME"}});
  table.add({{"a\x1b[2J"}});
  EXPECT_EQ(table.lines(Terminal(stdout), 200)[1], "a\\x1b[2J");
}

TEST(TransferLine, SaysHowATransferStandsAndHowItEnded) {
  api::Transfer transfer;
  transfer.peer = "192.0.2.7";
  transfer.direction = "fetch";
  transfer.name = "x.img";
  transfer.state = "running";
  transfer.bytes = 1 << 20;
  transfer.total = 4 << 20;
  transfer.rate = 1 << 20;
  transfer.seconds_left = 3;
  transfer.resent = 2;
  EXPECT_EQ(transfer_line(transfer),
            "192.0.2.7 fetches x.img: running, 1.0 MiB of 4.0 MiB (25%), 1.0 MiB/s, 3.0 "
            "s left, "
            "2 resent");
  transfer.state = "abandoned";
  transfer.direction = "deposit";
  transfer.duration_ms = 12'000;
  transfer.why = "the device went silent";
  EXPECT_EQ(
      transfer_line(transfer),
      "192.0.2.7 sends x.img: abandoned, 1.0 MiB of 4.0 MiB (25%) in 12 s, 1.0 MiB/s, 2 "
      "resent: the device went silent");
}

TEST(ExactSize, GivesTheBytesBesideWhatPeopleRead) {
  EXPECT_EQ(exact_size(812), "812 bytes");
  EXPECT_EQ(exact_size(32'911'360), "31.4 MiB (32911360 bytes)");
}

}  // namespace
}  // namespace vantro::client
