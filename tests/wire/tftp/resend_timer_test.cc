#include "wire/tftp/resend_timer.h"

#include <gtest/gtest.h>
#include <set>

namespace vantro::wire::tftp {
namespace {

using namespace std::chrono_literals;
using Next = ResendTimer::Next;

std::vector<base::Duration> intervals(ResendTimer timer) {
  std::vector<base::Duration> result;
  base::Instant now{};
  timer.sent(now);
  while (timer.due()) {
    result.push_back(*timer.due() - now);
    now = *timer.due();
    if (timer.expired(now) == Next::kGiveUp) break;
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
  EXPECT_EQ(
      std::chrono::round<std::chrono::milliseconds>(after_round_trips(900ms).interval()),
      1000ms);
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
}

TEST(ResendTimer, StaysWithinTheTimeoutThatWasAgreed) {
  EXPECT_EQ(after_round_trips(10ms, 5s).interval(), base::Duration(200ms));
  EXPECT_EQ(after_round_trips(20s, 5s).interval(), base::Duration(5s));
  const auto waits = intervals(after_round_trips(1s, 2s));
  for (std::size_t i = 0; i < 6; ++i) EXPECT_LE(waits[i], base::Duration(2200ms)) << i;
}

// "due in ms: what", until everything is sent again.
std::string steps(ResendTimer timer) {
  std::string text;
  base::Instant now{};
  timer.sent(now);
  for (auto next = Next::kProbe; next == Next::kProbe;) {
    now = *timer.due();
    next = timer.expired(now);
    const auto at = std::chrono::round<std::chrono::milliseconds>(now - base::Instant{});
    text += (next == Next::kProbe ? "probe " : "all at ") +
            (next == Next::kProbe ? "" : std::to_string(at.count()));
  }
  return text;
}

TEST(ResendTimer, SendsOnlyTwoProbesBeforeTheTimeIsOver) {
  EXPECT_EQ(steps(after_round_trips(10ms, 5s)), "probe probe all at 5000");
  EXPECT_EQ(steps(after_round_trips(10ms)), "all at 200");
  EXPECT_EQ(steps(after_round_trips(10ms, 255s)), "probe probe all at 255000");
  // There is no time for a second one, or for any.
  EXPECT_EQ(steps(after_round_trips(700ms, 1s)), "probe all at 1000");
  EXPECT_EQ(steps(after_round_trips(3s, 2s)), "all at 2000");
  // Nothing is known yet.
  EXPECT_EQ(steps(ResendTimer({}, 5s, 1)), "all at 5000");
  EXPECT_EQ(steps(ResendTimer({}, {}, 1)), "all at 1000");
}

TEST(ResendTimer, ProbesEarlierThanItSendsAllAgainWhereThatIsWanted) {
  Patience patience;
  patience.shortest_probe = 50ms;
  ResendTimer timer(patience, {}, 1);
  timer.sent({});
  timer.answered(base::Instant(1ms));
  EXPECT_EQ(steps(timer), "probe probe all at 200");
}

TEST(ResendTimer, WaitsToTheLetterWhereThatIsWanted) {
  Patience patience;
  patience.waits_to_the_letter = true;
  for (const auto& timeout : {std::optional<std::chrono::seconds>(5s), {}}) {
    ResendTimer timer(patience, timeout, 1);
    timer.sent({});
    timer.answered(base::Instant(10ms));
    EXPECT_EQ(steps(timer), timeout ? "all at 5000" : "all at 200");
  }
}

TEST(ResendTimer, MeasuresNothingAcrossAPauseOfItsOwnSide) {
  ResendTimer timer({}, 5s, 1);
  timer.sent({});
  timer.postpone(base::Instant(900ms));
  EXPECT_EQ(*timer.due(), base::Instant(5900ms));
  timer.answered(base::Instant(901ms));
  EXPECT_EQ(timer.usual(), base::Duration{});
}

TEST(ResendTimer, LearnsNothingFromAPacketThatWasSentTwice) {
  ResendTimer timer({}, {}, 1);
  timer.sent({});
  EXPECT_EQ(timer.expired(base::Instant(1s)), Next::kResend);
  timer.answered(base::Instant(1s + 1ms));
  EXPECT_EQ(timer.usual(), base::Duration{});
  // One may be lost by chance. Of a device that answers late each needs it: Karn's rule,
  // what was doubled stays until a packet is answered that went out once.
  timer.sent(base::Instant(2s));
  EXPECT_EQ(timer.interval(), base::Duration(1s));
  for (const auto at : {2s, 4s, 6s}) {
    timer.sent(base::Instant(at));
    EXPECT_EQ(timer.expired(base::Instant(at + 1s)), Next::kResend);
    timer.answered(base::Instant(at + 1s + 1ms));
  }
  timer.sent(base::Instant(8s));
  EXPECT_EQ(timer.interval(), base::Duration(2s));
  timer.answered(base::Instant(8s + 10ms));
  EXPECT_EQ(timer.interval(), base::Duration(200ms));
}

TEST(ResendTimer, IsBoundedInTimeOnceThePeerWasHeard) {
  const Patience patience;
  base::Duration sum{};
  const auto waits = intervals(after_round_trips(1ms));
  for (const auto wait : waits) sum += wait;
  EXPECT_EQ(sum, base::Duration(patience.most_silence));
  EXPECT_LE(waits.size(), 15u);
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
