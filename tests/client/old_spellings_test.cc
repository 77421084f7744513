#include "client/old_spellings.h"

#include <gtest/gtest.h>
#include <sstream>

namespace vantro::client {
namespace {

std::vector<std::string> words_of(const std::string& line) {
  std::istringstream in(line);
  std::vector<std::string> words;
  for (std::string one; in >> one;) words.push_back(one);
  return words;
}

std::string renewed(const std::string& line) {
  std::string text;
  for (const auto& one : in_todays_words(words_of(line)).words) {
    text += (text.empty() ? "" : " ") + one;
  }
  return text;
}

TEST(OldSpellings, BecomeTodaysCommands) {
  EXPECT_EQ(renewed("image edit x.img --remarks y"), "image change x.img --remark y");
  EXPECT_EQ(renewed("image return x.img --with-offers"),
            "image withdraw --undo x.img --with-offers");
  EXPECT_EQ(renewed("backup save weir site.cfg --to=f"),
            "backup write weir site.cfg --out=f");
  EXPECT_EQ(renewed("job plan weir --to x.img --as y"),
            "job add weir --image x.img --name y");
  EXPECT_EQ(renewed("device site"), "site list");
  EXPECT_EQ(renewed("device site north --backup-every daily"),
            "site change north --backup-every daily");
  EXPECT_EQ(renewed("image remove x.img --confirm x.img"), "image remove x.img --yes");
}

TEST(OldSpellings, MayMeanAnotherOptionByTheirValue) {
  EXPECT_EQ(renewed("offer change x --any-platform no"), "offer change x --own-platform");
  EXPECT_EQ(renewed("offer change x --any-platform=yes"),
            "offer change x --any-platform");
  EXPECT_EQ(
      in_todays_words(words_of("offer change x --any-platform no")).notes[0],
      "'--any-platform no' is now '--own-platform'; the old word goes away with the "
      "next version");
  EXPECT_TRUE(in_todays_words(words_of("offer change x --any-platform")).notes.empty());
}

TEST(OldSpellings, KeepTheOrderOfTheirValues) {
  EXPECT_EQ(renewed("device claim 192.0.2.7 weir"), "device assign weir 192.0.2.7");
  EXPECT_EQ(renewed("image document x.img notes.txt --to f"),
            "image document write x.img notes.txt --out f");
  EXPECT_EQ(renewed("image document write x.img notes.txt"),
            "image document write x.img notes.txt");
}

TEST(OldSpellings, AreFoundBehindOptionsOfAllCommands) {
  EXPECT_EQ(renewed("--url image --json image edit x.img"),
            "--url image --json image change x.img");
  EXPECT_EQ(renewed("--server hq offer add x.img --to 192.0.2.0/24"),
            "--server hq offer add x.img --networks 192.0.2.0/24");
}

TEST(OldSpellings, ChangeNothingElse) {
  for (const auto* each :
       {"image list --name x", "backup report --from yesterday --until now",
        "job add weir --image x.img --from 22:00", "ledger --device weir",
        "device change weir --recovery-address 192.0.2.7/24",
        "rescue open weir --interface eth1 --own-address", "offer add -- --to"}) {
    const auto line = in_todays_words(words_of(each));
    EXPECT_EQ(line.words, words_of(each)) << each;
    EXPECT_TRUE(line.notes.empty()) << each;
  }
}

TEST(OldSpellings, AreSaid) {
  const auto line = in_todays_words({"job", "show", "weir"});
  ASSERT_EQ(line.notes.size(), 1u);
  EXPECT_EQ(line.notes[0],
            "'vantro job show' is now 'vantro job info'; the old word goes away with the "
            "next version");
}

}  // namespace
}  // namespace vantro::client
