// SCP: commands, lines, and the two machines byte by byte.
#include <gtest/gtest.h>

#include "base/visible_name.h"
#include "tests/fakes/memory_files.h"
#include "wire/scp/command.h"
#include "wire/scp/header.h"
#include "wire/scp/sink.h"
#include "wire/scp/source.h"

namespace vantro::wire::scp {
namespace {

using namespace std::string_literals;

// "t r d p | a | b", or what is wrong.
std::string command_text(std::string_view line) {
  const auto parsed = parse_command(line);
  if (!parsed) return parsed.error().sentence;
  if (!*parsed) return "none";
  const auto& command = **parsed;
  std::string text = command.sends ? "t" : "f";
  if (command.recursive) text += "r";
  if (command.folder) text += "d";
  if (command.times) text += "p";
  for (const auto& path : command.paths) text += "|" + path;
  return text;
}

TEST(ScpCommand, IsPartedAsAShellWould) {
  const std::pair<const char*, const char*> cases[] = {
      {"scp -f a.img", "f|a.img"},
      {"scp -v -f a.img", "f|a.img"},
      {"scp -p -f a.img", "fp|a.img"},
      {"scp -pf '/a.img'", "fp|/a.img"},
      {"scp -t .", "t|."},
      {"scp -t", "t|."},
      {"scp -r -d -t -- -odd-", "trd|-odd-"},
      {"/usr/bin/scp -q -t \"two words\"", "t|two words"},
      {"scp -t two\\ words", "t|two words"},
      {"scp -f 'it'\\''s'", "f|it's"},
      {"scp -f a b", "f|a|b"},
      {"scp -f bob's.cfg", "f|bob's.cfg"},
      {"scp -f \"a\\\"b\"", "f|a\"b"},
      {"show version", "none"},
      {"", "none"},
      {"scpx -f a", "none"},
      {"scp -f", "scp -f needs a name"},
      {"scp -X -f a", "scp -X is not supported"},
  };
  for (const auto& [line, text] : cases) EXPECT_EQ(command_text(line), text) << line;
  const std::string neither =
      "this server runs no programs except 'scp -f NAME' and 'scp -t NAME', which your "
      "'scp' asks for";
  EXPECT_EQ(command_text("scp a b"), neither);
  EXPECT_EQ(command_text("scp -f -t b"), neither);
}

std::string header_text(std::string_view line) {
  const auto header = parse_header(line);
  if (!header) return "no: " + header.error().sentence;
  struct Text {
    std::string operator()(const FileHeader& one) {
      return "file " + std::to_string(one.size) + " " + one.name;
    }
    std::string operator()(const FolderHeader& one) { return "folder " + one.name; }
    std::string operator()(const FolderEnd&) { return "end"; }
    std::string operator()(const Times& one) {
      return "times " + std::to_string(one.changed_at);
    }
    std::string operator()(const Complaint& one) {
      return (one.fatal ? "fatal " : "complaint ") + one.text;
    }
  };
  return std::visit(Text{}, *header);
}

TEST(ScpHeader, IsReadAndRefused) {
  const std::pair<std::string, const char*> cases[] = {
      {"C0644 12 a.img", "file 12 a.img"},
      {"C644 0 two words ", "file 0 two words "},
      {"C0644 9223372036854775807 a", "file 9223372036854775807 a"},
      {"D0755 0 north", "folder north"},
      {"E", "end"},
      {"T1700000000 0 1700000001 500", "times 1700000000"},
      {"T-5 0 0 0", "times -5"},
      {"\1scp: no such file", "complaint scp: no such file"},
      {"\2lost", "fatal lost"},
  };
  for (const auto& [line, text] : cases) EXPECT_EQ(header_text(line), text) << line;
  for (const std::string line :
       {"", "C0644 12", "C0644 12 ", "C0644 -1 a", "C0644 9223372036854775808 a",
        "C0644  12 a", "C9644 12 a", "Crw 12 a", "C0644 12 a/b", "C0644 12 ..",
        "C0644 12 .", "D0755 0 ..", "E1", "T1 2 3", "T1 0 2 0 5", "X", "Cx"}) {
    EXPECT_TRUE(header_text(line).starts_with("no: ")) << line;
  }
  EXPECT_EQ(
      header_text("C0644 12 .."),
      "no: 'C0644 12 ..' is not a line of SCP: the name must not lead to another folder");
  EXPECT_EQ(file_line(12, "a"), "C0644 12 a\n");
  EXPECT_EQ(times_line(-5), "T-5 0 -5 0\n");
  EXPECT_EQ(complaint("a\nb"), "\1vantrod: a\\x0ab\n");
}

// A client's bytes in, the server's out, with its zero bytes as "0".
class Scp : public testing::Test {
 protected:
  void run(const std::string& command) {
    auto parsed = parse_command(command);
    ASSERT_TRUE(parsed && *parsed);
    if ((*parsed)->sends) {
      dialogue_ = std::make_unique<Sink>(files_, std::move(**parsed));
    } else {
      dialogue_ = std::make_unique<Source>(files_, std::move(**parsed));
    }
  }
  std::string said() {
    std::string text;
    for (;;) {
      base::ByteBuffer out;
      dialogue_->say(out, 7);
      if (out.empty()) break;
      text += base::as_text(out);
    }
    for (auto& c : text) c = c == '\0' ? '0' : c;
    return text;
  }
  std::string send(const std::string& bytes) {
    dialogue_->take(base::as_bytes(bytes));
    return said();
  }
  std::string file() {
    files_.file_all(*dialogue_);
    return said();
  }
  // And the disk does its part.
  std::string send_whole(const std::string& bytes) {
    auto told = send(bytes);
    return told += file();
  }
  int status() { return dialogue_->over().value_or(-1); }

  fakes::MemoryFiles files_;
  std::unique_ptr<Dialogue> dialogue_;
};

TEST_F(Scp, SendsAFileWhenItIsAgreedTo) {
  files_.on_offer["/a.img"] = "0123456789";
  run("scp -f a.img");
  EXPECT_EQ(said(), "");
  EXPECT_EQ(send("\0"s), "C0644 10 a.img\n");
  EXPECT_EQ(send("\0"s), "01234567890");
  EXPECT_EQ(files_.events(), "open /a.img\n");
  EXPECT_EQ(send("\0"s), "");
  EXPECT_EQ(files_.events(), "close complete\n");
  EXPECT_EQ(status(), 0);
}

TEST_F(Scp, SendsTimesWhenTheyAreAskedFor) {
  files_.on_offer["/a.img"] = "";
  run("scp -p -f /a.img");
  EXPECT_EQ(send("\0"s), "T1600000000 0 1600000000 0\n");
  EXPECT_EQ(send("\0"s), "C0644 0 a.img\n");
  EXPECT_EQ(send("\0"s), "0");
  EXPECT_EQ(send("\0"s), "");
  EXPECT_EQ(status(), 0);
}

TEST_F(Scp, TellsWhatIsNotThereAndGoesOn) {
  files_.on_offer["/b"] = "B";
  run("scp -f a b");
  EXPECT_EQ(send("\0"s),
            "\1vantrod: 'a' is not on offer; nearest: 'nearest.img'\nC0644 1 b\n");
  send("\0"s);
  send("\0"s);
  EXPECT_EQ(status(), 1);
  EXPECT_EQ(files_.events(), "open /b\nclose complete\n");
}

TEST_F(Scp, TakesANameWithABlankFromAClientThatDoesNotQuote) {
  files_.on_offer["/my file.img"] = "x";
  run("scp -f my file.img");
  EXPECT_EQ(send("\0"s), "C0644 1 my file.img\n");
  run("scp -t my file.cfg");
  EXPECT_EQ(said(), "0");
  EXPECT_EQ(send("C0644 1 x\n"), "0");
  EXPECT_EQ(files_.events(), "open /my file.img\nupload /my file.cfg of 1\n");
}

TEST_F(Scp, SaysThatPatternsAreNotWorkedOut) {
  run("scp -f *.img");
  EXPECT_EQ(send("\0"s),
            "\1vantrod: '*.img' is not on offer; nearest: 'nearest.img'; '*' and '?' are "
            "not expanded, fetch each file by its name\n");
  EXPECT_EQ(status(), 1);
}

TEST_F(Scp, RecordsAClientThatDoesNotTakeTheFile) {
  files_.on_offer["/a"] = "0123456789";
  for (const bool at_the_end : {false, true}) {
    run("scp -f a");
    send("\0"s);
    if (at_the_end) send("\0"s);
    EXPECT_EQ(send("\1scp: disk "), "");
    send("full\n");
    EXPECT_EQ(files_.events(), "open /a\nclose refused by client: scp: disk full\n");
    EXPECT_EQ(status(), 1);
  }
}

TEST_F(Scp, EndsAtBytesThatAgreeToNothing) {
  files_.on_offer["/a"] = "0123456789";
  run("scp -f a");
  send("\0"s);
  send("x");
  EXPECT_EQ(files_.events(),
            "open /a\nclose refused by client: 'x' instead of a confirmation\n");
  EXPECT_EQ(status(), 1);
}

TEST_F(Scp, RecordsAClientThatGoesAway) {
  files_.on_offer["/a"] = "0123456789";
  for (int agreements = 1; agreements <= 2; ++agreements) {
    run("scp -f a");
    for (int i = 0; i < agreements; ++i) send("\0"s);
    dialogue_->input_ended(InputEnd::kSaid);
    EXPECT_EQ(files_.events(), "open /a\nclose broken off: the client disconnected\n");
    EXPECT_EQ(status(), 1);
  }
}

TEST_F(Scp, TakesTheEndOfInputForTheLastAgreementWhereAllWasHeard) {
  files_.on_offer["/a"] = "0123456789";
  for (const auto how : {InputEnd::kSaid, InputEnd::kSaidAndHeardAll}) {
    for (const bool all : {false, true}) {
      run("scp -f a");
      send("\0"s);
      if (all) send("\0"s);
      dialogue_->input_ended(how);
      const bool complete = all && how == InputEnd::kSaidAndHeardAll;
      EXPECT_EQ(files_.events(),
                complete ? "open /a\nclose complete\n"
                         : "open /a\nclose broken off: the client disconnected\n");
      EXPECT_EQ(status(), complete ? 0 : 1);
    }
  }
}

TEST_F(Scp, SaysBesideTheProtocolThatTheDiskFailed) {
  files_.on_offer["/a"] = "0123456789";
  run("scp -f a");
  send("\0"s);
  files_.broken_disk = true;
  EXPECT_EQ(send("\0"s), "");
  EXPECT_EQ(dialogue_->remark(), "the disk is broken");
  EXPECT_EQ(status(), 1);
}

TEST_F(Scp, AgreesToAnUploadOnlyWhenItIsFiled) {
  run("scp -t pump.cfg");
  EXPECT_EQ(said(), "0");
  EXPECT_EQ(send("C0644 5 other-name\n"), "0");
  EXPECT_EQ(send("hello"), "");
  EXPECT_EQ(files_.events(), "upload /pump.cfg of 5\n");
  EXPECT_EQ(send("\0"s), "");
  EXPECT_EQ(files_.events(), "commit /pump.cfg\n");
  EXPECT_FALSE(dialogue_->wants());
  EXPECT_EQ(file(), "0");
  EXPECT_EQ(files_.filed["/pump.cfg"], "hello");
  dialogue_->input_ended(InputEnd::kSaid);
  EXPECT_EQ(status(), 0);
}

// Whatever the pieces in which the bytes come.
TEST_F(Scp, TakesAnySplitOfItsInput) {
  const std::string all = "T1 0 2 0\nC0644 5 a\nhello\0"s;
  for (std::size_t split = 1; split < all.size(); ++split) {
    run("scp -p -t .");
    auto told = send(all.substr(0, split));
    told += send_whole(all.substr(split));
    EXPECT_EQ(told, "0000") << split;
    EXPECT_EQ(files_.filed["/a"], "hello");
    files_.filed.clear();
  }
}

TEST_F(Scp, NamesTheTargetAsItsFormSays) {
  files_.folders = {"/intake"};
  const std::pair<const char*, const char*> cases[] = {
      {"scp -t .", "/n"},
      {"scp -t /", "/n"},
      {"scp -t north/", "/north/n"},
      {"scp -d -t north", "/north/n"},
      {"scp -t north", "/north"},
      {"scp -t intake", "/intake/n"},
      {"scp -t ../../x", "/x"},
      {"scp -t '~/x y'", "/x y"},
  };
  for (const auto& [command, path] : cases) {
    run(command);
    send("C0644 1 n\n");
    EXPECT_EQ(files_.events(), "upload "s + path + " of 1\n") << command;
  }
}

TEST_F(Scp, TakesFoldersAsPartsOfNames) {
  run("scp -r -t .");
  said();
  EXPECT_EQ(send("D0755 0 north\n"), "0");
  EXPECT_EQ(send("C0644 1 a\n"), "0");
  EXPECT_EQ(send_whole("A\0"s), "0");
  EXPECT_EQ(send("D0755 0 pumps\n"), "0");
  EXPECT_EQ(send("C0644 0 b\n"), "0");
  EXPECT_EQ(send_whole("\0"s), "0");
  EXPECT_EQ(send("E\nE\n"), "00");
  EXPECT_EQ(files_.filed, (std::map<std::string, std::string>{{"/north/a", "A"},
                                                              {"/north/pumps/b", ""}}));
  EXPECT_EQ(send("E\n"), "\1vantrod: the end of a folder that had not begun\n");
  EXPECT_EQ(status(), 1);
}

TEST_F(Scp, RefusesFoldersWithoutTheFlagAndBelowSixteen) {
  run("scp -t .");
  EXPECT_EQ(send("D0755 0 north\n"), "0\1vantrod: a folder needs scp -r\n");
  run("scp -r -t .");
  said();
  for (int i = 0; i < 16; ++i) EXPECT_EQ(send("D0755 0 d\n"), "0");
  EXPECT_EQ(send("D0755 0 d\n"), "\1vantrod: 'd' is more than 16 folders deep\n");
}

TEST_F(Scp, RefusesAFileAndTakesTheNext) {
  files_.closed = true;
  run("scp -t .");
  EXPECT_EQ(send("C0644 1 a\n"), "0\1vantrod: sending is closed\n");
  files_.closed = false;
  EXPECT_EQ(send("C0644 1 b\n"), "0");
  EXPECT_EQ(send_whole("x\0"s), "0");
  dialogue_->input_ended(InputEnd::kSaid);
  EXPECT_EQ(status(), 1);
}

TEST_F(Scp, EndsAnUploadThatTheDiskHasNoRoomFor) {
  files_.room = 3;
  run("scp -t .");
  send("C0644 5 a\n");
  EXPECT_EQ(send("hello"), "\1vantrod: the disk is full\n");
  EXPECT_EQ(dialogue_->remark(), "the disk is full");
  EXPECT_EQ(status(), 1);
}

TEST_F(Scp, TellsAnUploadThatCouldNotBeFiled) {
  run("scp -t .");
  send("C0644 1 a\n");
  send("x\0"s);
  dialogue_->filed(files_.committing.at(0), base::refuse(base::Kind::kIo, "no luck"));
  EXPECT_EQ(said(), "\1vantrod: no luck\n");
}

TEST_F(Scp, KeepsWhatCameOfAnUploadThatBreaksOff) {
  const std::pair<std::string, const char*> cases[] = {
      {"hel", "the client disconnected"},
      {"hello", "the client disconnected"},
      {"hello\1read err", "the client disconnected"},
      {"hello\1read error\n", "the client could not read its file: read error"},
      {"hello!", "more bytes arrived than were announced"},
  };
  for (const auto& [bytes, why] : cases) {
    run("scp -t a");
    send("C0644 5 a\n");
    files_.events();
    send(bytes);
    if (!dialogue_->over()) dialogue_->input_ended(InputEnd::kGone);
    said();
    EXPECT_EQ(files_.events(), "abandon: "s + why + "\n") << bytes;
    EXPECT_EQ(files_.partial["/a"], bytes.substr(0, 5));
    EXPECT_EQ(status(), 1);
  }
}

TEST_F(Scp, TakesTheEndOfInputForTheEndByteWhereAllHasCome) {
  for (const auto& end : {""s, "\0"s}) {
    run("scp -t a");
    send("C0644 5 a\n");
    send("hello" + end);
    files_.events();
    dialogue_->input_ended(InputEnd::kSaid);
    EXPECT_EQ(files_.events(), end.empty() ? "commit /a\n" : "");
    EXPECT_FALSE(dialogue_->over());
    EXPECT_EQ(file(), "0");
    EXPECT_EQ(files_.filed["/a"], "hello");
    EXPECT_EQ(status(), 0);
    files_.filed.clear();
  }
  run("scp -t a");
  send("C0644 5 a\n");
  send("hell");
  dialogue_->input_ended(InputEnd::kSaid);
  said();
  EXPECT_EQ(files_.partial["/a"], "hell");
  EXPECT_EQ(status(), 1);
}

TEST_F(Scp, EndsAtLinesThatAreNone) {
  run("scp -t .");
  EXPECT_EQ(send("GET / HTTP/1.1\n").substr(0, 11), "0\1vantrod: ");
  EXPECT_EQ(status(), 1);
  run("scp -t .");
  said();
  send(std::string(5000, 'C'));
  EXPECT_EQ(dialogue_->remark(), "a line without an end arrived");
  EXPECT_EQ(status(), 1);
}

TEST(CleanPath, StaysInTheTree) {
  const std::pair<const char*, const char*> cases[] = {{"", "/"},
                                                       {".", "/"},
                                                       {"/", "/"},
                                                       {"a", "/a"},
                                                       {"/a//b/./c", "/a/b/c"},
                                                       {"../../a", "/a"},
                                                       {"a/../b", "/b"},
                                                       {"a\\b", "/a/b"},
                                                       {"~", "/"},
                                                       {"~/a", "/a"},
                                                       {"/~/a", "/a"},
                                                       {"a/", "/a"},
                                                       {"~a", "/~a"}};
  for (const auto& [typed, path] : cases) EXPECT_EQ(clean_path(typed), path) << typed;
}

}  // namespace
}  // namespace vantro::wire::scp
