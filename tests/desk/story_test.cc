#include "desk/story.h"

#include <gtest/gtest.h>

#include "desk/devices.h"
#include "desk/images.h"
#include "desk/kits.h"
#include "desk/stories.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::desk {
namespace {

using namespace std::chrono_literals;

class StoryTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    fakes::RepositoryFixture::SetUp();
    ASSERT_TRUE(take_in("x.img", std::string(1000, 'x')));
  }
  void fetch_in_full(base::Duration takes = 2s) {
    auto grant = open_read(device("192.0.2.7"), "x.img");
    clock_.advance(takes);
    grant->transfer().advance({1000, 3, 0});
    grant->transfer().end(gate::State::kComplete, "");
  }
  std::vector<StoryLine> told() {
    auto told = Stories(*repository_, *gate_).of(*base::Address::parse("192.0.2.7"));
    EXPECT_TRUE(told);
    return told ? told->lines : std::vector<StoryLine>{};
  }
};

TEST_F(StoryTest, SaysThatNothingArrives) {
  EXPECT_EQ(Stories(*repository_, *gate_)
                .of(*base::Address::parse("192.0.2.9"))
                .error()
                .sentence,
            "192.0.2.9 never contacted the server; if it has asked, its packets do not "
            "arrive: check the server's address on it, the route, and firewalls");
}

TEST_F(StoryTest, SaysThatTheWayWorksWhereNothingWasAskedFor) {
  gate_->contacts().request(*base::Address::parse("192.0.2.7"), "192.0.2.10:21 on eth0");
  const auto lines = told();
  ASSERT_EQ(lines.size(), 1u);
  EXPECT_EQ(lines[0].state, "heard");
  EXPECT_EQ(lines[0].heard_on, "192.0.2.10:21 on eth0");
  EXPECT_EQ(
      lines[0].sentence,
      "contacted the server and got an answer, but asked for no file; the path works");
  EXPECT_EQ(Stories(*repository_, *gate_).overview(10)->front().last.sentence,
            lines[0].sentence);
  fetch_in_full();
  EXPECT_EQ(told().size(), 1u);
}

TEST_F(StoryTest, TellsARefusalWithTheNearestName) {
  fetch("y.img");
  const auto lines = told();
  ASSERT_EQ(lines.size(), 1u);
  EXPECT_EQ(lines[0].state, "refused");
  EXPECT_EQ(lines[0].heard_on, "192.0.2.10:69 on eth0");
  EXPECT_EQ(lines[0].sentence,
            "asked for 'y.img'; refused: 'y.img' is not on offer; nearest: 'x.img'");
}

TEST_F(StoryTest, CalmsAfterACompleteFetch) {
  fetch_in_full();
  EXPECT_EQ(
      told().back().sentence,
      "'x.img' sent completely: 1000 B in 2.0 s, 3 packets resent; nothing more to do "
      "here; the device is now writing or starting");
  clock_.advance(5min);
  EXPECT_EQ(Stories(*repository_, *gate_).overview(10)->front().last.state, "complete");
  fetch("none.img");
  EXPECT_EQ(
      told()[0].sentence,
      "'x.img' sent completely: 1000 B in 2.0 s, 3 packets resent; nothing more to do "
      "here; heard again 5 min 00 s later");
  clock_.advance(30h);
  fetch_in_full();
  EXPECT_NE(told().back().sentence.find(
                "; the device is now writing or starting, which earlier took 5 min 00 s"),
            std::string::npos)
      << told().back().sentence;
}

TEST_F(StoryTest, SaysThatTheImageIsForAnotherPlatform) {
  ASSERT_TRUE(
      Images(*repository_, operator_).edit("x.img", {{"platform", "sluice-900"}}));
  ASSERT_TRUE(Devices(*repository_, operator_)
                  .add("pump", {{"addresses", "192.0.2.7"}, {"platform", "weir-24"}}));
  config_.other_platform = gate::OtherPlatform::kWarn;
  gate_->use(config_);
  fetch_in_full();
  EXPECT_TRUE(told().back().caution);
  const auto sentence = told().back().sentence;
  EXPECT_NE(sentence.find("CAUTION: it is for sluice-900, and the device is a weir-24"),
            std::string::npos)
      << sentence;
  EXPECT_EQ(sentence.find("nothing more to do"), std::string::npos) << sentence;
  // While it runs as well.
  auto grant = open_read(device("192.0.2.7"), "x.img");
  EXPECT_EQ(gate_->transfers().view().front().caution,
            "it is for sluice-900, and the device is a weir-24");
  EXPECT_NE(told().back().sentence.find("CAUTION: it is for sluice-900"),
            std::string::npos);
  // Of a device whose platform it is, nothing.
  auto other = open_read(device("192.0.2.8"), "x.img");
  EXPECT_EQ(other->transfer().completed(0, "").caution, "");
}

TEST_F(StoryTest, NothingMoreToDoNeverStandsBesideAKitWithPartsLeft) {
  ASSERT_TRUE(take_in("y.img", "y"));
  ASSERT_TRUE(
      Kits(*repository_, operator_).add("to-8", "", {"x.img", "y.img"}, {"", ""}));
  fetch_in_full();
  EXPECT_NE(told().back().sentence.find("still to fetch of kit 'to-8': 'y.img'"),
            std::string::npos);
  EXPECT_EQ(told().back().sentence.find("nothing more to do"), std::string::npos);
  auto rest = open_read(device("192.0.2.7"), "y.img");
  rest->transfer().end(gate::State::kComplete, "");
  EXPECT_NE(told().back().sentence.find("nothing more to do here"), std::string::npos);
}

TEST_F(StoryTest, SaysWhatTwoFetchesOfAnImageUsuallyAre) {
  fetch_in_full();
  clock_.advance(90s);
  fetch_in_full();
  EXPECT_NE(told().back().sentence.find(
                "; it had fetched the same 1 min 30 s before: usually one is the load to "
                "memory, the other the one to storage"),
            std::string::npos)
      << told().back().sentence;
}

TEST_F(StoryTest, NamesAStalledTransferAndWhatItMayMean) {
  auto grant = open_read(device("192.0.2.7"), "x.img");
  EXPECT_EQ(told().back().state, "running");
  clock_.advance(5s);
  grant->transfer().advance({0, 2, 2});
  EXPECT_EQ(told().back().state, "stalled");
  EXPECT_EQ(told().back().sentence,
            "fetches 'x.img': 0 B of 1000 B in 5.0 s, 0 B/s, 2 packets resent; stalled: "
            "nothing has moved for 5.0 s, asked again twice; no reply to our answers: "
            "look for a firewall or a wrong route between the server and the device");
  EXPECT_EQ(Stories(*repository_, *gate_).overview(10)->front().last.state, "stalled");
  grant->transfer().end(gate::State::kAbandoned, "the device went silent");
  EXPECT_EQ(told().back().sentence,
            "'x.img' was interrupted after 0 B of 1000 B and 5.0 s, 2 packets resent: "
            "the device "
            "went silent");
}

TEST_F(StoryTest, CountsWhatWasNoRequest) {
  const auto address = *base::Address::parse("192.0.2.7");
  for (int i = 0; i < 3; ++i) {
    gate_->contacts().stray(address, "192.0.2.10:69 on eth0", "99 is not a TFTP opcode");
  }
  const auto lines = told();
  ASSERT_EQ(lines.size(), 1u);
  EXPECT_EQ(lines[0].state, "heard");
  EXPECT_NE(lines[0].sentence.find("3 attempts failed since "), std::string::npos);
  EXPECT_NE(lines[0].sentence.find("the last: 99 is not a TFTP opcode"),
            std::string::npos);
}

TEST_F(StoryTest, GoesOnAfterTheServerWasStartedAgain) {
  fetch_in_full();
  reopen();
  EXPECT_EQ(told().back().state, "complete");
  EXPECT_EQ(Stories(*repository_, *gate_).overview(10)->front().contact.address.text(),
            "192.0.2.7");
}

TEST(UsualAbsence, LeavesOutWhatWasNoWritingOrStarting) {
  EXPECT_FALSE(usual_absence({}));
  EXPECT_FALSE(usual_absence({100, 50'000'000}));
  const auto usual = usual_absence({240'000, 100, 360'000, 90'000'000});
  ASSERT_TRUE(usual);
  EXPECT_EQ(usual->shortest, 240'000);
  EXPECT_EQ(usual->longest, 360'000);
}

}  // namespace
}  // namespace vantro::desk
