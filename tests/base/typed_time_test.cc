#include "base/typed_time.h"

#include <cstdlib>
#include <ctime>
#include <gtest/gtest.h>
#include <utility>

namespace vantro::base {
namespace {

// In a zone with a summer time, at "2026-11-27 15:30:20" there (UTC+1).
class TypedTime : public testing::Test {
 protected:
  void SetUp() override {
    const char* zone = std::getenv("TZ");
    before_ = zone == nullptr ? "" : zone;
    ::setenv("TZ", "CET-1CEST,M3.5.0,M10.5.0/3", 1);
    ::tzset();
  }
  void TearDown() override {
    if (before_.empty()) {
      ::unsetenv("TZ");
    } else {
      ::setenv("TZ", before_.c_str(), 1);
    }
    ::tzset();
  }
  std::string read(const std::string& typed, Lies lies) const {
    const auto time = parse_typed_time(typed, now_, lies);
    return time ? iso_time(*time) : "none";
  }
  std::string past(const std::string& typed) const { return read(typed, Lies::kBefore); }
  std::string ahead(const std::string& typed) const { return read(typed, Lies::kAfter); }

  const WallTime now_ = *parse_iso_time("2026-11-27T14:30:20.000Z");
  std::string before_;
};

TEST_F(TypedTime, ReadsDatesInTheZoneOfThisMachine) {
  EXPECT_EQ(past("2026-11-24 06:00"), "2026-11-24T05:00:00.000Z");
  EXPECT_EQ(past("2026-11-24 06:00:30"), "2026-11-24T05:00:30.000Z");
  EXPECT_EQ(past("2026-11-24"), "2026-11-23T23:00:00.000Z");
  EXPECT_EQ(past("2026-07-01 12:00"), "2026-07-01T10:00:00.000Z");  // summer time
  EXPECT_EQ(past("2026-11-24T05:00:00.000Z"), "2026-11-24T05:00:00.000Z");
  EXPECT_EQ(past("2026-11-24T05:00:00Z"), "2026-11-24T05:00:00.000Z");
}

TEST_F(TypedTime, TakesTheLastOrTheNextTimeOfDay) {
  EXPECT_EQ(past("22:00"), "2026-11-26T21:00:00.000Z");
  EXPECT_EQ(ahead("22:00"), "2026-11-27T21:00:00.000Z");
  EXPECT_EQ(past("06:00"), "2026-11-27T05:00:00.000Z");
  EXPECT_EQ(ahead("06:00"), "2026-11-28T05:00:00.000Z");
  EXPECT_EQ(ahead("15:30:20"), "2026-11-28T14:30:20.000Z");  // not this moment
}

TEST_F(TypedTime, ReadsDaysInWords) {
  EXPECT_EQ(past("today"), "2026-11-26T23:00:00.000Z");
  EXPECT_EQ(past("Yesterday"), "2026-11-25T23:00:00.000Z");
  EXPECT_EQ(past("yesterday 22:00"), "2026-11-26T21:00:00.000Z");
  EXPECT_EQ(ahead("tomorrow 02:00"), "2026-11-28T01:00:00.000Z");
  EXPECT_EQ(ahead("now"), "2026-11-27T14:30:20.000Z");
}

TEST_F(TypedTime, ReadsSpansBackOrAhead) {
  for (const auto* each : {"4h", "4 hours", "PT4H", "240m", "14400 seconds", "pt240m"}) {
    EXPECT_EQ(past(each), "2026-11-27T10:30:20.000Z") << each;
    EXPECT_EQ(ahead(each), "2026-11-27T18:30:20.000Z") << each;
  }
  EXPECT_EQ(past("P30D"), "2026-10-28T14:30:20.000Z");
  EXPECT_EQ(past("2w"), past("P2W"));
  EXPECT_EQ(past("P1DT12H"), "2026-11-26T02:30:20.000Z");
  // The word decides, whatever the option would take.
  EXPECT_EQ(ahead("3 days ago"), "2026-11-24T14:30:20.000Z");
  EXPECT_EQ(past("in 2 hours"), "2026-11-27T16:30:20.000Z");
}

TEST_F(TypedTime, TakesNothingElse) {
  for (const auto* each : {"",
                           " ",
                           "soon",
                           "25:00",
                           "22:60",
                           "4",
                           "4x",
                           "0h",
                           "-4h",
                           "4 h d",
                           "3 days back",
                           "ago",
                           " ago",
                           "in",
                           "in ",
                           "P",
                           "PT",
                           "P1M",
                           "P1Y",
                           "PT1D",
                           "P4H",
                           "P30",
                           "30D1",
                           "yesterday tomorrow",
                           "yesterday 25:00",
                           "2026-13-01",
                           "2026-11-24 06:00 x",
                           "99999999999d",
                           "1000000000w",
                           "99999999999999999999h"}) {
    EXPECT_EQ(past(each), "none") << each;
    EXPECT_EQ(ahead(each), "none") << each;
  }
}

TEST_F(TypedTime, ReadsLengthsAlone) {
  EXPECT_EQ(parse_span("90m"), 90 * 60'000);
  EXPECT_EQ(parse_span("3 days"), 3 * 86'400'000);
  EXPECT_EQ(parse_span("P1DT1S"), 86'401'000);
  EXPECT_EQ(parse_span("22:00"), std::nullopt);
  EXPECT_EQ(parse_span("yesterday"), std::nullopt);
}

}  // namespace
}  // namespace vantro::base
