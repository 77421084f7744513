#include "fleet/state.h"

#include <gtest/gtest.h>

namespace vantro::fleet {
namespace {

std::string entered(const std::string& field, const std::string& text) {
  State state;
  const auto done = enter(state, field, text, {"", 1000, "kim"});
  return done ? entered_text(state, field) : base::in_full(done.error());
}

TEST(DeviceState, ReadsWhatPeopleEnter) {
  EXPECT_EQ(entered("running_version", " 7.4.2 "), "7.4.2");
  EXPECT_EQ(entered("slots", "B = empty, A=x-1.img"), "A=x-1.img, B=empty");
  EXPECT_EQ(entered("free", "flash=120 MiB, usb=2GiB"), "flash=120.0 MiB, usb=2.0 GiB");
  EXPECT_EQ(entered("free", "4096"), "4.0 KiB");
  EXPECT_EQ(entered("own_address", "192.0.2.7/24"), "192.0.2.7/24");
  EXPECT_EQ(entered("own_address", "2001:db8::7/64"), "2001:db8::7/64");
  EXPECT_EQ(entered("gateway", "192.0.2.1"), "192.0.2.1");
}

TEST(DeviceState, SaysWhatIsWrong) {
  EXPECT_EQ(
      entered("slots", "x-1.img"),
      "'x-1.img' does not say which slot; example: \"A=weir2-12.0.5.img, B=empty\"");
  EXPECT_EQ(entered("free", "plenty"),
            "free: 'plenty' is not a size; example: \"120 MiB\"");
  EXPECT_EQ(entered("own_address", "192.0.2.7/33"),
            "own_address: '192.0.2.7/33' is not an IP address such as 192.0.2.7 or "
            "192.0.2.7/24");
  EXPECT_EQ(entered("gateway", "gate"), "gateway: 'gate' is not an IP address");
  EXPECT_NE(entered("runing_version", "1").find("nearest: 'running_version'"),
            std::string::npos);
  EXPECT_EQ(entered("serial", std::string(300, 'x')),
            "serial must be one line of at most 200 bytes");
}

TEST(DeviceState, KeepsWhatIsNotNamedAndTakesAwayWhatIsEmpty) {
  State state;
  ASSERT_TRUE(enter(state, "slots", "A=one, B=two", {"", 1000, "kim"}));
  ASSERT_TRUE(enter(state, "slots", "B=three", {"", 2000, "lee"}));
  EXPECT_EQ(entered_text(state, "slots"), "A=one, B=three");
  EXPECT_EQ(state.find("slots", "", "A")->source, "kim");
  EXPECT_EQ(state.find("slots", "", "B")->at, 2000);
  ASSERT_TRUE(enter(state, "slots", "A=", {"", 3000, "kim"}));
  EXPECT_EQ(entered_text(state, "slots"), "B=three");
  ASSERT_TRUE(enter(state, "slots", "", {"", 3000, "kim"}));
  EXPECT_TRUE(state.empty());
}

TEST(DeviceState, KnowsTheMembersOfAStack) {
  State state;
  ASSERT_TRUE(enter(state, "running_version", "3.1", {"2", 1000, "kim"}));
  ASSERT_TRUE(enter(state, "running_version", "3.2", {"1", 1000, "kim"}));
  EXPECT_EQ(state.members(), (std::vector<std::string>{"1", "2"}));
  EXPECT_EQ(state.text("running_version", "2"), "3.1");
  EXPECT_EQ(state.text("running_version"), "");
}

TEST(DeviceState, LearnsFromAListing) {
  text::ReportFound found;
  found.records = {
      {1, {{"model", "lattice24"}, {"hardware", "B"}}},
      {2, {{"slot", "A"}, {"version", "3.10.1"}, {"running", "*"}, {"next", "*"}}},
      {3, {{"slot", "B"}, {"content", "empty"}}},
      {4, {{"free", "41,216"}, {"unit", "KiB"}, {"storage", "flash"}}},
      {5, {{"free", "1O MB"}}},
      {6, {{"member", "2"}, {"version", "3.9"}}}};
  const auto learnt = learn(found, {"", 5000, "report"});
  EXPECT_EQ(learnt.platform, "lattice24");
  EXPECT_EQ(learnt.hardware, "B");
  EXPECT_EQ(learnt.wrong, (std::vector<std::string>{"line 5: '1O MB' is not a size"}));
  std::string text;
  for (const auto& one : learnt.values) {
    text += one.member + "/" + one.field + "/" + one.item + "=" + one.value + " ";
  }
  EXPECT_EQ(text,
            "/free/flash=42205184 /model/=lattice24 /next_slot/=A /running_slot/=A "
            "/running_version/=3.10.1 /slots/A=3.10.1 /slots/B=empty "
            "2/running_version/=3.9 ");
}

}  // namespace
}  // namespace vantro::fleet
