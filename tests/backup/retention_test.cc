#include "backup/retention.h"

#include <gtest/gtest.h>

namespace vantro::backup {
namespace {

constexpr base::WallTime kDay = 86'400'000;
// A Sunday, 2026-11-15 at noon.
constexpr base::WallTime kNow = 1'794'744'000'000;

class Retention : public testing::Test {
 protected:
  void came(std::int64_t days_ago, bool complete = true) {
    Revision one;
    one.id = one.number = static_cast<std::int64_t>(revisions_.size()) + 1;
    one.complete = complete;
    one.arrived_at = one.last_seen_at = kNow - days_ago * kDay;
    revisions_.push_back(one);
  }
  // The numbers that go, the newest first.
  std::string goes(const KeepRule& rule, const std::vector<std::int64_t>& held = {}) {
    std::string text;
    for (const auto& one : judge(revisions_, rule, held, kNow)) {
      EXPECT_FALSE(one.why.empty());
      if (one.goes)
        text += (text.empty() ? "" : " ") + std::to_string(one.revision.number);
    }
    return text;
  }

  std::vector<Revision> revisions_;
};

TEST_F(Retention, KeepsOneAWeekThenOneAMonth) {
  // 1: 400 days ago, then every day from 80 days ago on.
  came(400);
  for (std::int64_t days = 80; days >= 0; --days) came(days);
  const KeepRule rule{7, 28, 365, 1};
  std::vector<std::int64_t> stays;
  for (const auto& one : judge(revisions_, rule, {}, kNow)) {
    if (!one.goes) stays.push_back((kNow - one.revision.arrived_at) / kDay);
  }
  // Seven days; the Sundays of three weeks; the last days of September and August.
  EXPECT_EQ(stays, (std::vector<std::int64_t>{0, 1, 2, 3, 4, 5, 6, 7, 14, 21, 46, 76}));
}

TEST_F(Retention, KeepsTheNewestCompleteOneWhateverItsAge) {
  came(3000);
  came(2000);
  came(1000, false);
  EXPECT_EQ(goes({1, 0, 1, 1}), "3 1");
  EXPECT_EQ(goes({1, 0, 1, 2}), "3");
}

TEST_F(Retention, KeepsWhatIsPinnedOrOnOffer) {
  for (const auto days : {3000, 2000, 1000, 10}) came(days);
  revisions_[0].pinned_at = kNow;
  EXPECT_EQ(goes({1, 0, 1, 1}, {2}), "3");
}

TEST_F(Retention, KeepsEverythingWithoutARule) {
  for (const auto days : {3000, 2000, 1000, 10}) came(days);
  EXPECT_EQ(goes({0, 0, 0, 1}), "");
}

TEST_F(Retention, CountsFromWhenTheBytesCameLast) {
  came(3000);
  came(10);
  revisions_[0].last_seen_at = kNow - 11 * kDay;
  EXPECT_EQ(goes({30, 0, 1, 1}), "");
}

}  // namespace
}  // namespace vantro::backup
