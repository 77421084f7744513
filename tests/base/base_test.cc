#include <cerrno>
#include <filesystem>
#include <fstream>
#include <gtest/gtest.h>

#include "base/address.h"
#include "base/bytes.h"
#include "base/clock.h"
#include "base/log.h"
#include "base/outcome.h"
#include "base/percent.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "base/whole_file.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::base {
namespace {

TEST(TimesText, CountsAsPeopleDo) {
  EXPECT_EQ(times_text(1), "once");
  EXPECT_EQ(times_text(2), "twice");
  EXPECT_EQ(times_text(7), "7 times");
}

TEST(VisibleName, ForgivesWhatAHandAtAConsoleGetsWrong) {
  for (const auto* typed : {"site/x.img", "/site/x.img", "//site//x.img",
                            "./site/./x.img", "site\\x.img", "\\site\\\\x.img"}) {
    EXPECT_EQ(visible_name(typed).value_or("refused"), "site/x.img") << typed;
  }
  EXPECT_EQ(visible_name("...").value_or("refused"), "...");
  EXPECT_EQ(visible_name(std::string(255, 'a')).value_or("refused"),
            std::string(255, 'a'));
}

TEST(VisibleName, RefusesWhatCouldReachOutsideOrHide) {
  const auto sentence = [](std::string_view typed) {
    const auto name = visible_name(typed);
    return name ? "taken: " + *name : name.error().sentence;
  };
  EXPECT_EQ(sentence("../etc/x"), "'../etc/x' contains '..', which is never followed");
  EXPECT_EQ(sentence("a/..\\b"), "'a/..\\b' contains '..', which is never followed");
  EXPECT_EQ(sentence(""), "the name is empty");
  EXPECT_EQ(sentence("/./"), "the name is empty");
  EXPECT_EQ(sentence("site/"), "'site/' is a folder's name, not a file's");
  EXPECT_EQ(sentence("site/."), "'site/.' is a folder's name, not a file's");
  EXPECT_EQ(sentence(std::string_view("a\0b", 3)), "'a\\x00b' holds a control character");
  EXPECT_EQ(sentence("a\x1b[2Jb"), "'a\\x1b[2Jb' holds a control character");
  EXPECT_EQ(sentence("a\xff"), "'a\\xff' is not UTF-8");
  EXPECT_EQ(sentence("a\xc2\x9b"
                     "b"),
            "'a\\xc2\\x9bb' holds a control character");
  // RIGHT-TO-LEFT OVERRIDE, ZERO WIDTH SPACE
  EXPECT_EQ(sentence("x\xe2\x80\xaegmi.exe"),
            "'x\\xe2\\x80\\xaegmi.exe' contains an invisible character, U+202E");
  EXPECT_EQ(sentence("x\xe2\x80\x8b.img"),
            "'x\\xe2\\x80\\x8b.img' contains an invisible character, U+200B");
  EXPECT_EQ(sentence(std::string(300, 'a')), "the name has 300 bytes, limit 255");
}

TEST(Utf8, TakesWhatRfc3629Takes) {
  for (const auto* good : {"", "abc", "\xc3\xa9", "\xe2\x82\xac", "\xf0\x9f\x98\x80"}) {
    EXPECT_TRUE(is_utf8(good)) << good;
  }
  for (const auto* bad : {"\x80", "\xc0\xaf", "\xc3", "\xe0\x80\xaf", "\xed\xa0\x80",
                          "\xf0\x80\x80\xaf", "\xf4\x90\x80\x80", "\xf5\x80\x80\x80"}) {
    EXPECT_FALSE(is_utf8(bad));
  }
}

TEST(Printable, LetsNothingThroughThatDrivesATerminal) {
  EXPECT_EQ(printable("a\nb\tc\x7f"), "a\\x0ab\\x09c\\x7f");
  EXPECT_EQ(printable("\xc2\x9b"
                      "31m"),
            "\\xc2\\x9b31m");
  EXPECT_EQ(printable("a\xe2\x80\xae"
                      "b\xf3\xa0\x81\x81"),
            "a\\xe2\\x80\\xaeb\\xf3\\xa0\\x81\\x81");
  EXPECT_EQ(printable("caf\xc3\xa9"), "caf\xc3\xa9");
  EXPECT_EQ(printable("abcdef", 4), "abcd...");
}

TEST(Sizes, AreWrittenForPeople) {
  // The same file holds the console to it (console/tests/formats_test.ts).
  std::ifstream texts(VANTRO_SOURCE_DIR "/tests/base/size_texts.txt");
  int tried = 0;
  for (std::string line; std::getline(texts, line);) {
    if (line.starts_with('#')) continue;
    const auto kind = line.substr(0, line.find('|'));
    const auto rest = line.substr(kind.size() + 1);
    const auto text = rest.substr(rest.find('|') + 1);
    const double value = std::stod(rest);
    EXPECT_EQ(kind == "size"   ? size_text(static_cast<std::uint64_t>(value))
              : kind == "rate" ? rate_text(value)
                               : duration_text(value),
              text)
        << line;
    ++tried;
  }
  EXPECT_GT(tried, 25);
}

TEST(Sizes, AreReadAsPeopleWriteThem) {
  EXPECT_EQ(parse_size("4096"), 4096u);
  EXPECT_EQ(parse_size("4 GiB"), 4ull << 30);
  EXPECT_EQ(parse_size("10MB"), 10'000'000u);
  for (const auto* bad : {"", "GiB", "-1", "1.5 GiB", "4 gib", "20000000 TiB"}) {
    EXPECT_EQ(parse_size(bad), std::nullopt) << bad;
  }
}

TEST(Address, IsReadAndWrittenInBothFamilies) {
  EXPECT_EQ(Address::parse("192.0.2.7")->text(), "192.0.2.7");
  EXPECT_EQ(Address::parse("2001:DB8::0:1")->text(), "2001:db8::1");
  EXPECT_EQ(Address::parse("::ffff:192.0.2.7"), Address::parse("192.0.2.7"));
  EXPECT_TRUE(Address::parse("127.9.9.9")->is_loopback());
  EXPECT_TRUE(Address::parse("::1")->is_loopback());
  for (const auto* bad : {"", "192.0.2", "192.0.2.256", "router", "192.0.2.1 "}) {
    EXPECT_FALSE(Address::parse(bad)) << bad;
  }
}

TEST(Endpoint, TakesAPortOrTheGivenDefault) {
  EXPECT_EQ(Endpoint::parse("192.0.2.7:69")->text(), "192.0.2.7:69");
  EXPECT_EQ(Endpoint::parse("192.0.2.7", 69)->text(), "192.0.2.7:69");
  EXPECT_EQ(Endpoint::parse("[2001:db8::1]:69")->text(), "[2001:db8::1]:69");
  EXPECT_EQ(Endpoint::parse("2001:db8::1", 69)->text(), "[2001:db8::1]:69");
  for (const auto* bad :
       {"192.0.2.7", "192.0.2.7:", "192.0.2.7:70000", "[2001:db8::1", ":69"}) {
    EXPECT_FALSE(Endpoint::parse(bad)) << bad;
  }
}

TEST(Clock, WritesAndReadsTimes) {
  EXPECT_EQ(iso_time(1'795'400'047'120), "2026-11-23T02:14:07.120Z");
  EXPECT_EQ(parse_iso_time("2026-11-23T02:14:07.120Z"), 1'795'400'047'120);
  EXPECT_EQ(parse_iso_time("2026-11-23 02:14:07"), std::nullopt);
}

TEST(Percent, IsUndoneByDecoding) {
  const std::string odd("a/b~c:\0%\xff z", 12);
  EXPECT_EQ(percent_decoded(percent_encoded(odd, "")), odd);
  EXPECT_EQ(percent_encoded("a/b"), "a%2Fb");
  EXPECT_EQ(percent_encoded("a/b", "", 3), "a");
  EXPECT_EQ(percent_decoded("a%2"), std::nullopt);
  EXPECT_EQ(percent_decoded("a%zz"), std::nullopt);
}

TEST(Refusal, OfTheSystemTellsAFullDiskApart) {
  EXPECT_EQ(system_refusal(ENOSPC, "x").kind, Kind::kFull);
  EXPECT_EQ(system_refusal(EACCES, "x.img").sentence, "x.img: Permission denied");
  EXPECT_EQ(in_full({Kind::kNotFound, "'a' is not on offer", "b"}),
            "'a' is not on offer; nearest: 'b'");
}

TEST(Log, WritesTextThatNobodyOutsideCanForge) {
  std::string out;
  const Log log(Log::Form::kText, Log::Level::kInfo, out);
  log.debug("not wanted");
  log.info("fetch complete", {{"name", "x.img"}, {"bytes", 7}, {"why", ""}});
  log.warning("refused", {{"name", "a\n2026 info forged"}});
  EXPECT_NE(out.find("info    fetch complete name=x.img bytes=7\n"), std::string::npos)
      << out;
  EXPECT_NE(out.find("name=\"a\\\\x0a2026 info forged\"\n"), std::string::npos) << out;
  EXPECT_EQ(std::count(out.begin(), out.end(), '\n'), 2);
}

TEST(Log, WritesJsonLines) {
  std::string out;
  const Log log(Log::Form::kJson, Log::Level::kInfo, out);
  log.error("it \"broke\"", {{"bytes", 7}});
  EXPECT_NE(out.find(R"("level":"error","message":"it \"broke\"","bytes":7})"),
            std::string::npos)
      << out;
}

TEST(WholeFile, IsThereWholeForItsOwnerAndFollowsNoLink) {
  const fakes::ScratchFolder scratch;
  const auto file = scratch / "keys";
  ASSERT_TRUE(write_whole_file(file, "first"));
  fakes::write_file(scratch / "elsewhere", "not ours");
  std::filesystem::remove(file);
  std::filesystem::create_symlink(scratch / "elsewhere", file);
  // As another one might have been left, or put there.
  std::filesystem::create_symlink(scratch / "elsewhere", file + ".new");
  const std::string large(1 << 20, 'x');
  ASSERT_TRUE(write_whole_file(file, large));
  EXPECT_EQ(fakes::read_file(file), large);
  EXPECT_EQ(fakes::read_file(scratch / "elsewhere"), "not ours");
  EXPECT_EQ(std::filesystem::symlink_status(file).permissions(),
            std::filesystem::perms::owner_read | std::filesystem::perms::owner_write);
  EXPECT_FALSE(std::filesystem::exists(file + ".new"));
  const auto none = write_whole_file(scratch / "none/keys", "x");
  ASSERT_FALSE(none);
  EXPECT_EQ(none.error().sentence,
            (scratch / "none/keys") + ": can't be written: No such file or directory");
}

TEST(Address, TakesALinkLocalOneWithItsInterface) {
  const auto plain = Address::parse("fe80::1");
  EXPECT_EQ(Address::parse("fe80::1%eth0"), plain);
  EXPECT_EQ(Address::parse("fe80::1%"), std::nullopt);
  EXPECT_EQ(Address::parse("fe80::1%a b"), std::nullopt);
  EXPECT_EQ(Address::parse("2001:db8::1%eth0"), std::nullopt);
  EXPECT_EQ(Address::parse("192.0.2.1%eth0"), std::nullopt);
  const auto endpoint = Endpoint::parse("[fe80::1%lo]:69");
  ASSERT_TRUE(endpoint);
  EXPECT_EQ(endpoint->zone, 1u);
  EXPECT_EQ(endpoint->text(), "[fe80::1%lo]:69");
  EXPECT_EQ(Endpoint::parse("fe80::1%lo", 69), endpoint);
  EXPECT_FALSE(Endpoint::parse("[fe80::1%no-such-one]:69"));
}

}  // namespace
}  // namespace vantro::base
