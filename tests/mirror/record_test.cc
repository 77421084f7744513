#include "mirror/record.h"

#include <gtest/gtest.h>

#include "mirror/source.h"

namespace vantro::mirror {
namespace {

Picture picture(std::vector<std::pair<std::string, std::string>> rows) {
  Picture all;
  for (auto& [row, value] : rows) {
    const Key key{"offers", row};
    all.emplace(key, dated(key, {{{"name", value}}, {}}));
  }
  return all;
}

std::string text(const Difference& found) {
  std::string all;
  for (const auto& one : found.gone) all += "-" + one.row + " ";
  for (const auto& one : found.fresh) all += "+" + one.first.row + " ";
  return all;
}

TEST(MirrorRecord, ADifferenceIsTheWayFromOnePictureToTheOther) {
  const auto before = outline_of(picture({{"1", "a"}, {"2", "b"}, {"4", "d"}}));
  const auto after = picture({{"2", "b"}, {"3", "c"}, {"4", "x"}, {"5", "e"}});
  EXPECT_EQ(text(difference(before, after)), "-1 +3 +4 +5 ");
  EXPECT_EQ(text(difference({}, after)), "+2 +3 +4 +5 ");
  EXPECT_EQ(text(difference(outline_of(after), after)), "");
  EXPECT_EQ(text(difference(before, {})), "-1 -2 -4 ");
}

TEST(MirrorRecord, TheTagTellsEveryChange) {
  const auto tag = [](const Picture& one) { return tag_of(outline_of(one)); };
  const auto one = tag(picture({{"1", "ab"}}));
  EXPECT_EQ(one, tag(picture({{"1", "ab"}})));
  EXPECT_NE(one, tag(picture({{"1", "abc"}})));
  EXPECT_NE(one, tag(picture({{"1a", "b"}})));
  EXPECT_NE(one, tag(picture({{"1", "ab"}, {"2", ""}})));
  const Key key{"offers", "1"};
  EXPECT_NE(digest_of(key, {{{"a", "b"}}, {}}), digest_of(key, {{}, {"a", "b"}}));
}

TEST(MirrorRecord, AWantedContentComesBackAndItsNameIsASha256) {
  const Wanted wanted{
      std::string(64, 'a'), 5'000'000'000,     "weir-7.img", Urgency::kJob,
      "job of heron-rtr",   1'795'400'047'120, "weir"};
  const auto back = wanted_of({"contents", wanted.sha256}, record_of(wanted));
  ASSERT_TRUE(back);
  EXPECT_EQ(back->size, wanted.size);
  EXPECT_EQ(back->urgency, Urgency::kJob);
  EXPECT_EQ(back->why, wanted.why);
  EXPECT_EQ(back->due, wanted.due);
  // It becomes the name of a file.
  for (const auto& name : {std::string("../../etc/passwd"), std::string(64, 'A'),
                           std::string(63, 'a'), std::string(63, 'a') + "/"}) {
    EXPECT_FALSE(wanted_of({"contents", name}, record_of(wanted))) << name;
  }
}

TEST(MirrorRecord, TextsInOneTextComeBackAsTheyWere) {
  for (const auto& texts : std::vector<std::vector<std::string>>{
           {}, {""}, {"a"}, {"a", "", "1:b,"}, {std::string("\0,\n", 3), "x"}}) {
    const auto one = joined(texts);
    EXPECT_EQ(*parted(one), texts);
    // Every shorter text is damaged, or has fewer texts.
    for (std::size_t length = 1; length < one.size(); ++length) {
      const auto cut = parted(std::string_view(one).substr(0, length));
      EXPECT_TRUE(!cut || cut->size() < texts.size()) << one << " " << length;
    }
  }
  for (const auto* wrong : {"1", "1:", "1:a", "2:a,", "x:a,", "-1:a,", ":a,",
                            "99999999999999999999:a,", "18446744073709551615:a,"}) {
    EXPECT_FALSE(parted(wrong)) << wrong;
  }
}

}  // namespace
}  // namespace vantro::mirror
