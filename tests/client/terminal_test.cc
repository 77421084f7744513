#include "client/terminal.h"

#include <gtest/gtest.h>

#include "client/render.h"

namespace vantro::client {
namespace {

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
