// Lines, commands, paths, addresses, listings and line ends.
#include <gtest/gtest.h>

#include "wire/ftp/command.h"
#include "wire/ftp/data_address.h"
#include "wire/ftp/facts.h"
#include "wire/ftp/line_ends.h"
#include "wire/ftp/line_reader.h"
#include "wire/ftp/reply.h"

namespace vantro::wire::ftp {
namespace {

// The lines that come out, each in brackets; one that was too long with its length.
std::string lines_of(LineReader& reader) {
  std::string text;
  while (const auto line = reader.next()) {
    text += line->too_long ? "<" + std::to_string(line->text.size()) + ">"
                           : "[" + line->text + "]";
  }
  return text;
}

std::string read(std::string_view bytes) {
  LineReader reader;
  reader.feed(base::as_bytes(bytes));
  return lines_of(reader);
}

TEST(FtpLineReader, TakesBothEndsOfALine) {
  EXPECT_EQ(read("USER a\r\nPASS b\nQUIT\r\nhal"), "[USER a][PASS b][QUIT]");
  EXPECT_EQ(read("\r\n\n"), "[][]");
}

TEST(FtpLineReader, TakesOutTelnetSequences) {
  // Interrupt and data mark as they come before ABOR (RFC 959, 4.1.3).
  EXPECT_EQ(read("\xff\xf4\xff\xf2\x41\x42OR\r\n"), "[ABOR]");
  EXPECT_EQ(read("NO\xff\xf1OP\r\n"), "[NOOP]");
  EXPECT_EQ(read("a\xff\xff"
                 "b\r\n"),
            "[a\xff"
            "b]");
  EXPECT_EQ(read("x\xff\xfa\x18\x01y\xff\xff\xff\xf0z\r\n"), "[xz]");
  using namespace std::string_view_literals;
  EXPECT_EQ(read("a\r\0b\r\n"sv), "[a\rb]");
}

TEST(FtpLineReader, RefusesTelnetOptionsAndNotWithoutEnd) {
  LineReader reader;
  std::string asked("\xff\xfb\x18\xff\xfd\x03\xff\xfc\x01\xff\xfe\x01", 12);
  reader.feed(base::as_bytes(asked));
  EXPECT_EQ(reader.take_answers(), std::string("\xff\xfe\x18\xff\xfc\x03", 6));
  EXPECT_EQ(reader.take_answers(), "");
  for (int i = 0; i < 10'000; ++i) reader.feed(base::as_bytes(asked));
  EXPECT_LE(reader.take_answers().size(), 99u);
}

TEST(FtpLineReader, ReadsTheSameForEverySplit) {
  const std::string all =
      "USER \xff\xf4\xff\xf2night\r\nRETR a b\nX\r\r\n\xff\xfd\x01Q\r\n";
  const auto whole = read(all);
  EXPECT_EQ(whole, "[USER night][RETR a b][X\r][Q]");
  for (std::size_t i = 0; i <= all.size(); ++i) {
    for (std::size_t k = i; k <= all.size(); ++k) {
      LineReader reader;
      reader.feed(base::as_bytes(std::string_view(all).substr(0, i)));
      reader.feed(base::as_bytes(std::string_view(all).substr(i, k - i)));
      reader.feed(base::as_bytes(std::string_view(all).substr(k)));
      ASSERT_EQ(lines_of(reader), whole) << i << " " << k;
      ASSERT_TRUE(reader.empty());
    }
  }
}

TEST(FtpLineReader, HoldsNoMoreOfALineThanIsTaken) {
  const std::string longest(LineReader::kLongestLine, 'x');
  EXPECT_EQ(read(longest.substr(1) + "\r\nNOOP\r\n"),
            "[" + longest.substr(1) + "][NOOP]");
  EXPECT_EQ(read(longest + "\r\r\r\nNOOP\r\n"),
            "<" + std::to_string(longest.size() - 1) + ">[NOOP]");
  EXPECT_EQ(read(longest + longest + "\nNOOP\r\n"),
            "<" + std::to_string(longest.size()) + ">[NOOP]");
}

TEST(FtpCommand, IsAVerbAndWhatIsBehindIt) {
  const auto both = [](std::string_view line) {
    const auto command = parse_command(line);
    return command.verb + "|" + command.argument;
  };
  EXPECT_EQ(both("retr north/pump 7.img"), "RETR|north/pump 7.img");
  EXPECT_EQ(both("  Quit  "), "QUIT|");
  EXPECT_EQ(both("RETR\t x "), "RETR|x");
  EXPECT_EQ(both("pass  two blanks "), "PASS| two blanks ");
  EXPECT_EQ(both("PASS"), "PASS|");
  EXPECT_EQ(both(""), "|");
  EXPECT_EQ(both("XPWD"), "PWD|");
  EXPECT_EQ(both("xcup"), "CDUP|");
  EXPECT_EQ(both("XMKD a"), "MKD|a");
}

TEST(FtpCommand, PathsDoNotLeaveTheTop) {
  EXPECT_EQ(resolve("/", "a"), "/a");
  EXPECT_EQ(resolve("/a/b", "c"), "/a/b/c");
  EXPECT_EQ(resolve("/a/b", "/c/"), "/c");
  EXPECT_EQ(resolve("/a/b", ".."), "/a");
  EXPECT_EQ(resolve("/a", "../../../x"), "/x");
  EXPECT_EQ(resolve("/a", ""), "/a");
  EXPECT_EQ(resolve("/a", "."), "/a");
  EXPECT_EQ(resolve("/a", "b\\..\\c//d/./e"), "/a/c/d/e");
  EXPECT_EQ(resolve("/a", "\\b"), "/b");
}

TEST(FtpCommand, ListingsForgiveTheOptionsOfAShell) {
  EXPECT_EQ(without_options("-la"), "");
  EXPECT_EQ(without_options(" -l -a north "), "north");
  EXPECT_EQ(without_options("a -b"), "a -b");
}

TEST(FtpDataAddress, ReadsPort) {
  EXPECT_EQ(parse_port("192,0,2,7,195,80")->text(), "192.0.2.7:50000");
  for (const auto* wrong :
       {"", "192,0,2,7,195", "192,0,2,7,195,80,1", "192,0,2,7,256,1", "192,0,2,7,-1,1",
        "192,0,2,7,,1", "a,0,2,7,1,1", "192,0,2,7,1,1 "}) {
    EXPECT_FALSE(parse_port(wrong)) << wrong;
  }
}

TEST(FtpDataAddress, ReadsTheExtendedForm) {
  EXPECT_EQ(parse_extended_port("|1|192.0.2.7|50000|")->where.text(), "192.0.2.7:50000");
  EXPECT_EQ(parse_extended_port("|2|2001:db8::7|50000|")->where.text(),
            "[2001:db8::7]:50000");
  EXPECT_EQ(parse_extended_port("!1!192.0.2.7!50000!")->where.text(), "192.0.2.7:50000");
  EXPECT_FALSE(parse_extended_port("|3|x|1|")->known_kind);
  for (const auto* wrong : {"", "|", "|1|192.0.2.7|50000", "|2|192.0.2.7|50000|",
                            "|1|2001:db8::7|1|", "|1|192.0.2.7|0|", "|1|192.0.2.7|65536|",
                            "|1|192.0.2.7|1|x", "|x|192.0.2.7|1|", " 1 192.0.2.7 1 "}) {
    EXPECT_FALSE(parse_extended_port(wrong)) << wrong;
  }
}

TEST(FtpDataAddress, IsToldInBothForms) {
  EXPECT_EQ(passive_text(*base::Endpoint::parse("192.0.2.10:50001")),
            "192,0,2,10,195,81");
  EXPECT_EQ(extended_passive_text(50001), "|||50001|");
}

TEST(FtpReply, HasOneLineOrSeveral) {
  EXPECT_EQ(reply(200, "Yes"), "200 Yes\r\n");
  EXPECT_EQ(reply(211, {"Begin", "226 looks like a reply", "End"}),
            "211-Begin\r\n 226 looks like a reply\r\n211 End\r\n");
  // Nothing that a name holds can begin a reply of its own.
  EXPECT_EQ(reply(550, "'a\r\n226 done' is not there"),
            "550 'a\\x0d\\x0a226 done' is not there\r\n");
}

TEST(FtpReply, TellsARefusalByItsKind) {
  EXPECT_EQ(refusal({base::Kind::kNotFound, "'a' is not on offer", "b"}, Asked::kFile),
            "550 'a' is not on offer; nearest: 'b'\r\n");
  EXPECT_EQ(reply_code(base::Kind::kAccountNeeded, Asked::kFile), 530);
  EXPECT_EQ(reply_code(base::Kind::kAccountNeeded, Asked::kUpload), 532);
  EXPECT_EQ(reply_code(base::Kind::kInvalid, Asked::kUpload), 553);
  EXPECT_EQ(reply_code(base::Kind::kTooLarge, Asked::kUpload), 552);
  EXPECT_EQ(reply_code(base::Kind::kFull, Asked::kUpload), 452);
  EXPECT_EQ(reply_code(base::Kind::kBusy, Asked::kFile), 450);
  EXPECT_EQ(reply_code(base::Kind::kIo, Asked::kFile), 451);
}

TEST(FtpListing, IsReadByPeopleAndPrograms) {
  const auto now = *base::parse_iso_time("2026-11-26T18:00:00.000Z");
  const Entry file{"pump 7.img", false, 20'000, now - 3'600'000};
  EXPECT_EQ(list_line(file, now),
            "-r--r--r-- 1 vantro vantro        20000 Nov 26 17:00 pump 7.img");
  const Entry folder{"north", true, 0, *base::parse_iso_time("2025-03-04T01:02:03.000Z")};
  EXPECT_EQ(list_line(folder, now),
            "drwxr-xr-x 2 vantro vantro            0 Mar  4  2025 north");
  EXPECT_EQ(facts_line(file, {}),
            "type=file;size=20000;modify=20261126170000;perm=r; pump 7.img");
  EXPECT_EQ(facts_line(folder, {}), "type=dir;modify=20250304010203;perm=elcm; north");
  const auto wanted = parse_wanted("Size;unique;TYPE;");
  EXPECT_EQ(wanted_text(wanted), "type;size;");
  EXPECT_EQ(feature_text(wanted), "type*;size*;modify;perm;");
  EXPECT_EQ(facts_line(file, parse_wanted("")), " pump 7.img");
}

TEST(FtpLineEnds, GoBothWaysForEverySplit) {
  const std::string stored = "a\nb\n\nc\rd\r\ne\r";
  base::ByteBuffer wire;
  to_network_lines(base::as_bytes(stored), wire);
  const auto sent = std::string(base::as_text(wire));
  EXPECT_EQ(sent, "a\r\nb\r\n\r\nc\rd\r\r\ne\r");
  for (std::size_t i = 0; i <= sent.size(); ++i) {
    FromNetworkLines from;
    base::ByteBuffer out(sent.size() + 1);
    const auto first = std::string_view(sent).substr(0, i);
    auto put = from.take(base::as_bytes(first), out);
    put += from.take(base::as_bytes(std::string_view(sent).substr(i)),
                     std::span(out).subspan(put));
    put += from.finish(std::span(out).subspan(put));
    EXPECT_EQ(base::as_text(base::ByteView(out).first(put)), stored) << i;
  }
}

}  // namespace
}  // namespace vantro::wire::ftp
