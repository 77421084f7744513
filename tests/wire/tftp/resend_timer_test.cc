#include "wire/tftp/resend_timer.h"

#include <gtest/gtest.h>
#include <set>

namespace vantro::wire::tftp {
namespace {

using namespace std::chrono_literals;

std::vector<base::Duration> intervals(ResendTimer timer) {
  std::vector<base::Duration> result;
  base::Instant now{};
  timer.sent(now);
  while (timer.due()) {
    result.push_back(*timer.due() - now);
    now = *timer.due();
    if (!timer.resend(now)) break;
  }
  return result;
}

// One that has measured this round trip so often that nothing else is left of it.
ResendTimer after_round_trips(base::Duration round_trip,
                              std::optional<std::chrono::seconds> timeout = {}) {
  ResendTimer timer({}, timeout, 1);
  base::Instant now{};
  for (int i = 0; i < 50; ++i) {
    timer.sent(now);
    now += round_trip;
    timer.answered(now);
  }
  return timer;
}

TEST(ResendTimer, DoublesWithALittleChanceForAHandfulOfPackets) {
  const auto waits = intervals(ResendTimer({}, {}, 1));
  ASSERT_EQ(waits.size(), 5u);
  const base::Duration about[] = {1s, 2s, 4s, 8s, 8s};
  EXPECT_EQ(waits[0], base::Duration(1s));
  for (std::size_t i = 1; i < waits.size(); ++i) {
    EXPECT_GE(waits[i] * 10, about[i] * 9) << i;
    EXPECT_LE(waits[i] * 10, about[i] * 11) << i;
  }
}

TEST(ResendTimer, DiffersBetweenTransfers) {
  std::set<base::Duration> second;
  for (std::uint64_t seed = 0; seed < 20; ++seed) {
    second.insert(intervals(ResendTimer({}, {}, seed))[1]);
  }
  EXPECT_GT(second.size(), 10u);
}

TEST(ResendTimer, WaitsAsLongAsRoundTripsTakeButNeverLessThanTheShortest) {
  EXPECT_EQ(after_round_trips(1ms).interval(), base::Duration(200ms));
  EXPECT_NEAR(static_cast<double>(after_round_trips(900ms).interval().count()), 900e6,
              20e6);
  EXPECT_EQ(after_round_trips(1min).interval(), base::Duration(8s));
}

TEST(ResendTimer, GrowsWithTheVariationOfRoundTrips) {
  ResendTimer timer({}, {}, 1);
  base::Instant now{};
  for (int i = 0; i < 40; ++i) {
    timer.sent(now);
    now += i % 2 == 0 ? 100ms : 500ms;
    timer.answered(now);
  }
  EXPECT_GT(timer.interval(), base::Duration(800ms));
  EXPECT_EQ(timer.quickest(), base::Duration(100ms));
}

TEST(ResendTimer, StaysWithinTheTimeoutThatWasAgreed) {
  EXPECT_EQ(after_round_trips(10ms, 5s).interval(), base::Duration(200ms));
  EXPECT_EQ(after_round_trips(20s, 5s).interval(), base::Duration(5s));
  const auto waits = intervals(after_round_trips(1s, 2s));
  for (std::size_t i = 0; i < 6; ++i) EXPECT_LE(waits[i], base::Duration(2200ms)) << i;
}

TEST(ResendTimer, LearnsNothingFromAPacketThatWasSentTwice) {
  ResendTimer timer({}, {}, 1);
  timer.sent({});
  EXPECT_TRUE(timer.resend(base::Instant(1s)));
  timer.answered(base::Instant(1s + 1ms));
  EXPECT_EQ(timer.usual(), base::Duration{});
  // Karn's rule: what was doubled stays until a packet is answered that went out once.
  timer.sent(base::Instant(2s));
  EXPECT_EQ(timer.interval(), base::Duration(2s));
  timer.answered(base::Instant(2s + 10ms));
  EXPECT_EQ(timer.interval(), base::Duration(200ms));
}

TEST(ResendTimer, IsBoundedInTimeOnceThePeerWasHeard) {
  const Patience patience;
  base::Duration sum{};
  const auto waits = intervals(after_round_trips(1ms));
  for (const auto wait : waits) sum += wait;
  EXPECT_EQ(sum, base::Duration(patience.most_silence));
  EXPECT_LE(waits.size(), 12u);
}

TEST(ResendTimer, GivesADeviceWithALongTimeoutMoreThanOneTry) {
  const auto waits = intervals(ResendTimer({}, 200s, 1));
  EXPECT_EQ(waits[0], base::Duration(200s));
  EXPECT_GE(waits.size(), 3u);
  base::Duration sum{};
  for (const auto wait : waits) sum += wait;
  EXPECT_EQ(sum, base::Duration(600s));
}

}  // namespace
}  // namespace vantro::wire::tftp
