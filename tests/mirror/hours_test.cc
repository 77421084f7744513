#include "mirror/hours.h"

#include <gtest/gtest.h>

namespace vantro::mirror {
namespace {

constexpr base::WallTime kMinute = 60'000, kDay = 1440 * kMinute;

// A time of that minute of the day, wherever this runs.
base::WallTime at(const std::string& minute) {
  for (base::WallTime time = 1'795'000'020'000 / kDay * kDay;; time += kMinute) {
    if (base::local_time(time).substr(11, 5) == minute) return time;
  }
}

TEST(MirrorHours, AreSpansOfTheDayThatMayGoOverMidnight) {
  const auto hours = Hours::parse("20:00-06:00, 12:30-13:00");
  ASSERT_TRUE(hours);
  for (const auto* inside : {"20:00", "23:59", "00:00", "05:59", "12:30", "12:59"}) {
    EXPECT_TRUE(hours->contains(at(inside))) << inside;
  }
  for (const auto* outside : {"19:59", "06:00", "12:29", "13:00"}) {
    EXPECT_FALSE(hours->contains(at(outside))) << outside;
  }
  EXPECT_EQ(base::local_time(hours->next(at("06:00") + 1)).substr(11, 5), "12:30");
  EXPECT_EQ(hours->next(at("20:30")), at("20:30"));
  EXPECT_EQ(base::local_time(hours->next(at("13:00"))).substr(11), "20:00:00");
}

TEST(MirrorHours, NoneAreAllHours) {
  const auto hours = Hours::parse("");
  ASSERT_TRUE(hours);
  EXPECT_TRUE(hours->contains(at("03:00")));
  EXPECT_EQ(hours->next(1234), 1234);
  EXPECT_TRUE(Hours::parse("00:00-24:00")->contains(at("23:59")));
}

TEST(MirrorHours, RefuseWhatIsNotATimeOfDay) {
  for (const auto* wrong :
       {"20:00", "20:00-", "-06:00", "25:00-06:00", "20:60-06:00", "2:00-06:00",
        "20:00-20:00", "24:00-06:00", "night", "20:00-06:00,", "+1:00-06:00"}) {
    EXPECT_FALSE(Hours::parse(wrong)) << wrong;
  }
  EXPECT_EQ(Hours::parse("night").error().sentence,
            "'night' is not a time of day; example: \"20:00-06:00\"");
}

}  // namespace
}  // namespace vantro::mirror
