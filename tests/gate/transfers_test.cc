#include "gate/transfers.h"

#include <gtest/gtest.h>

#include "tests/fakes/sim_clock.h"

namespace vantro::gate {
namespace {

using namespace std::chrono_literals;

class TransfersTest : public testing::Test {
 protected:
  std::uint64_t begin(std::uint64_t total) {
    TransferView start;
    start.peer = "192.0.2.7";
    start.total = total;
    return transfers_.begin(std::move(start));
  }
  fakes::SimClock clock_;
  Transfers transfers_{clock_};
};

TEST_F(TransfersTest, MeasureTheRateOfLatelyNotOfAlways) {
  const auto id = begin(1'000'000);
  std::uint64_t bytes = 0;
  for (int i = 0; i < 100; ++i) {  // 10 s at 1,000 bytes per second
    clock_.advance(100ms);
    transfers_.advance(id, {bytes += 100, 0, 0});
  }
  EXPECT_NEAR(transfers_.find(id)->rate, 1000, 1);
  for (int i = 0; i < 40; ++i) {  // then ten times that
    clock_.advance(100ms);
    transfers_.advance(id, {bytes += 1000, 0, 0});
  }
  EXPECT_NEAR(transfers_.find(id)->rate, 10'000, 1);
  // And it falls while nothing comes.
  clock_.advance(18s);
  EXPECT_LT(transfers_.find(id)->rate, 1100);
  const auto ended = transfers_.end(id, State::kComplete, "");
  EXPECT_EQ(ended->duration_ms, 32'000);
  EXPECT_NEAR(ended->rate, 50'000 / 32.0, 1);
}

TEST_F(TransfersTest, StallWhenThePeerStaysAway) {
  const auto id = begin(1000);
  transfers_.advance(id, {100, 1, 1});
  EXPECT_EQ(transfers_.find(id)->stalled_ms, std::nullopt) << "one resend is everyday";
  clock_.advance(4s);
  EXPECT_EQ(transfers_.find(id)->stalled_ms, 4000);
  transfers_.advance(id, {200, 1, 0});
  EXPECT_EQ(transfers_.find(id)->stalled_ms, std::nullopt);
  clock_.advance(1s);
  transfers_.advance(id, {200, 3, 2});
  EXPECT_EQ(transfers_.find(id)->stalled_ms, 1000);
}

TEST_F(TransfersTest, EndOnceAndIgnoreWhatComesLater) {
  const auto id = begin(10);
  EXPECT_TRUE(transfers_.end(id, State::kFailed, "x"));
  EXPECT_FALSE(transfers_.end(id, State::kComplete, ""));
  transfers_.advance(id, {5, 0, 0});
  EXPECT_EQ(transfers_.find(id), std::nullopt);
  EXPECT_EQ(transfers_.view().front().bytes, 0u);
}

TEST_F(TransfersTest, KeepABoundedNumberOfEndedOnes) {
  for (std::size_t i = 0; i < Transfers::kMostEnded + 50; ++i) {
    transfers_.end(begin(1), State::kComplete, "");
  }
  EXPECT_EQ(transfers_.view().size(), Transfers::kMostEnded);
}

}  // namespace
}  // namespace vantro::gate
