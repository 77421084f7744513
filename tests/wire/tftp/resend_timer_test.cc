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

TEST(ResendTimer, DoublesUpToTheLongestWithALittleChance) {
  const auto waits = intervals(ResendTimer({}, {}, 1));
  ASSERT_EQ(waits.size(), 7u);
  const base::Duration about[] = {1s, 2s, 4s, 8s, 8s, 8s, 8s};
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

TEST(ResendTimer, IsBoundedInTimeWhateverTheCountAllows) {
  Patience patience;
  patience.most_resends = 1000;
  base::Duration sum{};
  for (const auto wait : intervals(ResendTimer(patience, {}, 1))) sum += wait;
  EXPECT_EQ(sum, base::Duration(patience.most_silence));
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
