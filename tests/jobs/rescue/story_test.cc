#include "jobs/rescue/story.h"

#include <gtest/gtest.h>

namespace vantro::jobs::rescue {
namespace {

class RescueStory : public testing::Test {
 protected:
  RescueStory() {
    profile_.way = Way::kAsks;
    profile_.begin = "hold MODE";
    profile_.shows = "the lamp blinks";
    profile_.afterwards = *base::Address::parse("192.0.2.20");
    profile_.check = "ping";
    File one;
    one.name = "boot.img";
    File two;
    two.name = "system.img";
    two.when_loaded = "release the button now";
    two.takes = parse_span("4m to 6m");
    profile_.files = {one, two};
    session_.id = 3;
    session_.opened_at = now_;
  }
  Story& story() {
    if (!story_) story_.emplace(profile_, session_);
    return *story_;
  }
  void load(const std::string& name, Load::State state, std::uint64_t bytes,
            std::uint64_t id = 1, const std::string& why = "") {
    Load one;
    one.id = id;
    one.name = name;
    one.bytes = bytes;
    one.total = 1000;
    one.rate = 2048;
    one.state = state;
    one.why = why;
    story().load(one, now_);
  }
  void loads(const std::string& name, std::uint64_t id) {
    load(name, Load::State::kRunning, 0, id);
    now_ += 1000;
    load(name, Load::State::kComplete, 1000, id);
  }
  std::string large() { return story().stage(now_).large; }
  std::string small() { return story().stage(now_).small; }
  std::vector<std::string> lines() {
    std::vector<std::string> all;
    for (const auto& one : story().take_new()) all.push_back(one.sentence);
    return all;
  }
  using Lines = std::vector<std::string>;

  Profile profile_;
  Session session_;
  base::WallTime now_ = 1'795'000'000'000;
  std::optional<Story> story_;
};

TEST_F(RescueStory, GoesFromTheFirstRequestToTheAnswerInLargeWords) {
  EXPECT_EQ(large(), "WAITING FOR THE DEVICE");
  EXPECT_EQ(small(), "hold MODE");
  story().asked_for_address("02:00:5e:10:00:01 asked for an address", now_);
  EXPECT_EQ(large(), "ASKED FOR AN ADDRESS");
  story().got_address("02:00:5e:10:00:01 got 192.0.2.20",
                      *base::Address::parse("192.0.2.20"), now_);
  EXPECT_EQ(large(), "HAS THE ADDRESS 192.0.2.20");
  load("boot.img", Load::State::kRunning, 340);
  EXPECT_EQ(large(), "LOADING 34 %");
  EXPECT_EQ(small(), "'boot.img', 2.0 KiB/s");
  load("boot.img", Load::State::kComplete, 1000);
  EXPECT_EQ(large(), "LAST BLOCK ACKNOWLEDGED");
  EXPECT_EQ(small(), "next it asks for 'system.img'");
  now_ += 14'000;
  load("system.img", Load::State::kRunning, 0, 2);
  EXPECT_EQ(lines().back(), "second stage asked for 'system.img' 14 s later");
  load("system.img", Load::State::kComplete, 1000, 2);
  EXPECT_EQ(large(), "LAST BLOCK ACKNOWLEDGED, RELEASE THE BUTTON NOW");
  EXPECT_TRUE(story().awaits_return());
  now_ += Story::kLoadedFor;
  EXPECT_EQ(large(), "WRITING, USUALLY 4 TO 6 MIN, DO NOT POWER OFF");
  EXPECT_EQ(story().stage(now_).kind, StageKind::kWriting);
  EXPECT_EQ(small(), "8.0 s since the last block; the lamp blinks");
  now_ += 10 * 60'000;
  EXPECT_EQ(large(), "STILL SILENT, USUALLY 4 TO 6 MIN");
  story().answers(false, now_);
  story().answers(true, now_);
  EXPECT_EQ(large(), "ANSWERS AGAIN AT 192.0.2.20");
  EXPECT_FALSE(story().awaits_return());
  EXPECT_EQ(story().summary(),
            "the device had the address 192.0.2.20\n'boot.img' was loaded completely\n"
            "'system.img' was loaded completely\nthe device answers at 192.0.2.20");
}

TEST_F(RescueStory, OneThatNeverWasSilentHasNotComeBack) {
  loads("boot.img", 1);
  EXPECT_FALSE(story().awaits_return());
  loads("system.img", 2);
  story().answers(true, now_);
  EXPECT_NE(large(), "ANSWERS AGAIN AT 192.0.2.20");
  EXPECT_TRUE(story().awaits_return());
}

TEST_F(RescueStory, AnInterruptedLoadIsSaidAndTheNextOneTakesItsPlace) {
  load("boot.img", Load::State::kRunning, 340);
  load("boot.img", Load::State::kInterrupted, 340, 1, "the device went silent");
  EXPECT_EQ(large(), "INTERRUPTED AT 34 %");
  EXPECT_EQ(small(), "the device went silent");
  load("boot.img", Load::State::kRunning, 10, 2);
  EXPECT_EQ(large(), "LOADING 1 %");
}

TEST_F(RescueStory, AskingForTheSizeFirstIsNoFailure) {
  load("boot.img", Load::State::kRunning, 0);
  load("boot.img", Load::State::kInterrupted, 0, 1, "the device ended it");
  EXPECT_EQ(large(), "ASKED FOR 'boot.img'");
  EXPECT_EQ(story().stage(now_).bells, 1);
}

TEST_F(RescueStory, ARefusalDoesNotCoverWhatTheDeviceDoes) {
  story().refused("02:00:5e:10:00:09 got no address", now_);
  EXPECT_EQ(large(), "REFUSED");
  load("boot.img", Load::State::kRunning, 500);
  story().refused("02:00:5e:10:00:09 got no address", now_);
  EXPECT_EQ(large(), "LOADING 50 %");
}

TEST_F(RescueStory, WhatIsSaidAgainAndAgainIsOneLine) {
  for (int i = 0; i < 100; ++i) story().refused("the same", now_ += 100);
  EXPECT_EQ(lines(), Lines{"the same"});
  for (std::size_t i = 0; i < 2 * Story::kMostLines; ++i) {
    story().told(std::to_string(i), now_);
  }
  EXPECT_EQ(story().lines().size(), Story::kMostLines);
}

TEST_F(RescueStory, APushIsSilentUntilTheDeviceListens) {
  Load push;
  push.id = 1;
  push.name = "boot.img";
  push.pushed = true;
  push.listens = false;
  push.total = 1000;
  story().load(push, now_);
  EXPECT_EQ(large(), "WAITING FOR THE DEVICE");
  push.listens = true;
  push.bytes = 500;
  story().load(push, now_);
  EXPECT_EQ(large(), "LOADING 50 %");
  EXPECT_EQ(lines().back(), "the device listens, and receives 'boot.img'");
  Load never;
  never.id = 2;
  never.pushed = true;
  never.listens = false;
  never.state = Load::State::kInterrupted;
  never.why = "the device did not listen within 10 min";
  story().load(never, now_);
  EXPECT_EQ(large(), "THE DEVICE DID NOT LISTEN");
}

TEST_F(RescueStory, TheEndSaysWhyAndNothingLoadedIsSaidToo) {
  story().closed("its time was over", now_);
  EXPECT_EQ(large(), "CLOSED");
  EXPECT_EQ(story().summary(), "nothing was loaded");
}

}  // namespace
}  // namespace vantro::jobs::rescue
