#include "gate/suggestion_purse.h"

#include <gtest/gtest.h>

namespace vantro::gate {
namespace {

int taken(SuggestionPurse& purse, const char* address, base::Instant now, int wanted) {
  int count = 0;
  for (int i = 0; i < wanted; ++i) {
    count += purse.take(*base::Address::parse(address), now) ? 1 : 0;
  }
  return count;
}

TEST(SuggestionPurse, IsBoundedForEachNetworkAndFillsUpAgain) {
  SuggestionPurse purse;
  const base::Instant start{std::chrono::hours(1)};
  EXPECT_EQ(taken(purse, "192.0.2.7", start, 100), 32);
  EXPECT_EQ(taken(purse, "192.0.2.8", start, 10), 0);  // of the same network
  EXPECT_EQ(taken(purse, "2001:db8::1", start, 20), 20);
  EXPECT_EQ(taken(purse, "2001:db8::2", start, 20), 12);
  EXPECT_EQ(taken(purse, "192.0.2.7", start + std::chrono::seconds(3), 100), 6);
}

TEST(SuggestionPurse, IsBoundedInAllHoweverManyNetworksAsk) {
  SuggestionPurse purse;
  const base::Instant start{std::chrono::hours(1)};
  int count = 0;
  for (std::uint32_t i = 0; i < 10'000; ++i) {
    count += purse.take(base::Address::v4(0x0a000000 + i * 256), start) ? 1 : 0;
  }
  EXPECT_EQ(count, 128);
}

}  // namespace
}  // namespace vantro::gate
