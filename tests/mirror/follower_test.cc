#include "mirror/follower.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include "base/overloaded.h"

namespace vantro::mirror {
namespace {

using std::chrono::minutes;
using std::chrono::seconds;

std::string text(const std::vector<Action>& actions) {
  std::string all;
  for (const auto& action : actions) {
    if (!all.empty()) all += ", ";
    all += std::visit(
        base::Overloaded{
            [](const AskNews&) { return std::string("ask"); },
            [](const MakePlan& one) { return "plan " + one.sha256; },
            [](const FetchPiece& one) {
              return fmt::format("fetch {} {}+{}", one.sha256, one.offset, one.count);
            },
            [](const CopyPiece& one) {
              return fmt::format("copy {} {}+{} from {} {}", one.sha256, one.offset,
                                 one.count, one.from, one.from_offset);
            },
            [](const FileContent& one) { return "file " + one.sha256; }},
        action);
  }
  return all;
}

Lacking lacking(const std::string& sha256, std::uint64_t size,
                Urgency urgency = Urgency::kPlatform, std::int64_t due = 0) {
  Lacking one;
  one.wanted.sha256 = sha256;
  one.wanted.size = size;
  one.wanted.urgency = urgency;
  one.wanted.due = due;
  return one;
}

class AFollower : public testing::Test {
 protected:
  std::string begin() { return text(follower_.step(now_, 0)); }
  std::string step(Event event) {
    return text(follower_.step(std::move(event), now_, 0));
  }
  std::string later(base::Duration by) {
    now_ += by;
    return text(follower_.step(now_, 0));
  }
  std::string news(std::optional<std::vector<Lacking>> all) {
    return step(NewsCame{{}, false, std::move(all)});
  }
  static Event piece(const std::string& sha256, std::uint64_t have, std::uint64_t fetched,
                     base::Duration took = seconds(1)) {
    return PieceCame{sha256, have, fetched, took};
  }
  static base::Refusal cut() { return {base::Kind::kIo, "no route"}; }

  base::Instant now_{};
  Follower follower_{{}, 1, now_};
};

TEST_F(AFollower, AsksFetchesFilesAndAsksAgainAtItsTime) {
  EXPECT_EQ(begin(), "ask");
  EXPECT_EQ(later(minutes(1)), "");  // one question at a time
  EXPECT_EQ(news({{lacking("a", 300'000)}}), "fetch a 0+262144");
  EXPECT_EQ(step(piece("a", 262'144, 262'144)), "fetch a 262144+37856");
  EXPECT_EQ(step(piece("a", 300'000, 37'856)), "file a");
  EXPECT_EQ(step(Filed{"a", {}}), "");
  EXPECT_EQ(follower_.deadline(), now_ + seconds(15));
  EXPECT_EQ(later(seconds(15)), "ask");
}

TEST_F(AFollower, TakesTheMostUrgentAndChangesItsMindBetweenPieces) {
  begin();
  EXPECT_EQ(news({{lacking("big", 900'000), lacking("small", 700'000)}}),
            "fetch small 0+262144");
  EXPECT_EQ(later(seconds(15)), "ask");
  EXPECT_EQ(news({{lacking("big", 900'000), lacking("small", 700'000),
                   lacking("late", 800'000, Urgency::kJob, 9000),
                   lacking("soon", 800'000, Urgency::kJob, 5000)}}),
            "");  // a piece is under way
  EXPECT_EQ(step(piece("small", 262'144, 262'144)).substr(0, 10), "fetch soon");
}

TEST_F(AFollower, APieceTakesAboutTenSeconds) {
  begin();
  news({{lacking("a", 100'000'000)}});
  EXPECT_EQ(step(piece("a", 262'144, 262'144, seconds(8))), "fetch a 262144+327680");
  std::string last;
  std::uint64_t have = 262'144;
  for (int i = 0; i < 40; ++i) {
    have += 1000;
    last = step(piece("a", have, 1000, seconds(1)));
  }
  EXPECT_EQ(last.substr(last.find('+')), "+65536");
  for (int i = 0; i < 40; ++i) {
    have += 1000;
    last = step(piece("a", have, 20'000'000, seconds(1)));
  }
  EXPECT_EQ(last.substr(last.find('+')), "+8388608");
}

TEST_F(AFollower, ABrokenLinkIsTriedAgainWithGrowingPauses) {
  begin();
  news({{lacking("a", 300'000)}});
  EXPECT_EQ(step(PieceCame{"a", base::refuse(cut()), 0, {}, true}), "");
  EXPECT_EQ(follower_.unreachable(), "no route");
  std::vector<std::int64_t> pauses;
  for (int i = 0; i < 12; ++i) {
    const auto before = now_;
    now_ = *follower_.deadline();
    auto actions = text(follower_.step(now_, 0));
    if (i > 0) {
      pauses.push_back(std::chrono::duration_cast<seconds>(now_ - before).count());
    }
    EXPECT_NE(actions.find("ask"), std::string::npos);
    if (actions.find("fetch") != std::string::npos) {
      step(PieceCame{"a", base::refuse(cut()), 0, {}, true});
    }
    step(NewsCame{base::refuse(cut()), false, {}});
  }
  EXPECT_LE(pauses.front(), 20);
  EXPECT_GE(pauses.back(), 300);
  EXPECT_LE(pauses.back(), 360);
  now_ = *follower_.deadline();
  EXPECT_NE(text(follower_.step(now_, 0)).find("ask"), std::string::npos);
  news(std::nullopt);
  EXPECT_EQ(follower_.unreachable(), "");
}

TEST_F(AFollower, OneContentThatFailsDoesNotHoldUpTheOthers) {
  begin();
  EXPECT_EQ(news({{lacking("a", 1000), lacking("b", 2000)}}), "fetch a 0+1000");
  const base::Refusal gone{base::Kind::kNotFound, "no image on offer has these bytes"};
  EXPECT_EQ(step(PieceCame{"a", base::refuse(gone)}), "fetch b 0+2000");
  EXPECT_EQ(step(piece("b", 2000, 2000)), "file b");
  EXPECT_EQ(step(Filed{"b", {}}), "");
  EXPECT_EQ(follower_.failing().at("a"), gone.sentence);
  EXPECT_NE(later(seconds(20)).find("fetch a"), std::string::npos);
}

TEST_F(AFollower, WrongBytesAreFetchedAgainFromTheBeginningAndWhole) {
  begin();
  auto one = lacking("a", 2'000'000);
  one.may_share = true;
  EXPECT_EQ(news({{one}}), "plan a");
  EXPECT_EQ(step(Planned{"a", std::vector<Span>{{0, 1'500'000, "old", 70},
                                                {1'500'000, 500'000, "", 0}}}),
            "copy a 0+1500000 from old 70");
  EXPECT_EQ(step(piece("a", 1'500'000, 0)), "fetch a 1500000+262144");
  EXPECT_EQ(step(piece("a", 2'000'000, 500'000)), "file a");
  EXPECT_EQ(step(Filed{"a", base::refuse(base::Kind::kMismatch, "other bytes")}), "");
  EXPECT_NE(later(seconds(20)).find("fetch a 0+"), std::string::npos);
}

TEST_F(AFollower, WithoutAPlanItIsFetchedWhole) {
  begin();
  auto one = lacking("a", 2'000'000);
  one.may_share = true;
  news({{one}});
  EXPECT_EQ(step(Planned{"a", base::refuse(base::Kind::kCorrupt, "damaged")}),
            "fetch a 0+262144");
}

TEST_F(AFollower, SaysHowLongItTakes) {
  begin();
  news({{lacking("a", 1'000'000), lacking("b", 3'000'000)}});
  EXPECT_EQ(follower_.expected("b", now_, 0), std::nullopt);
  step(piece("a", 200'000, 200'000, seconds(2)));
  EXPECT_EQ(follower_.expected("a", now_, 0), seconds(8));
  EXPECT_EQ(follower_.expected("b", now_, 0), seconds(38));
  EXPECT_EQ(follower_.expected("c", now_, 0), std::nullopt);
  EXPECT_EQ(follower_.missing_bytes(), 3'800'000U);
}

TEST(APacedFollower, FetchesNoMoreThanItsRateAllows) {
  Pace pace;
  pace.rate = 64 << 10;
  base::Instant now{};
  Follower follower(pace, 1, now);
  follower.step(now, 0);
  follower.step(NewsCame{{}, false, {{lacking("a", 100 << 20)}}}, now, 0);
  const auto begun = now;
  std::uint64_t have = 0;
  while (have < 10 << 20) {
    // Each piece comes at once.
    have += 100 << 10;
    now += std::chrono::milliseconds(1);
    auto actions = follower.step(
        PieceCame{"a", have, 100 << 10, std::chrono::milliseconds(1)}, now, 0);
    while (text(actions).find("fetch") == std::string::npos) {
      now = *follower.deadline();
      actions = follower.step(now, 0);
      if (text(actions).find("ask") != std::string::npos) {
        const auto more = follower.step(NewsCame{{}, false, {}}, now, 0);
        actions.insert(actions.end(), more.begin(), more.end());
      }
    }
  }
  const auto took = std::chrono::duration<double>(now - begun).count();
  EXPECT_NEAR(took, static_cast<double>(have) / (64 << 10), 4);
}

TEST_F(AFollower, APieceThatWasWrittenMeanwhileIsNotFetchedAgain) {
  begin();
  news({{lacking("a", 1'000'000)}});
  later(seconds(15));
  EXPECT_EQ(step(piece("a", 262'144, 262'144)).substr(0, 16), "fetch a 262144+7");
  // The disk was asked before the piece was written.
  EXPECT_EQ(news({{lacking("a", 1'000'000)}}), "");
  EXPECT_EQ(follower_.have("a"), 262'144U);
}

TEST_F(AFollower, WhatIsNoLongerWantedIsNotFetched) {
  begin();
  news({{lacking("a", 1'000'000)}});
  later(seconds(15));
  EXPECT_EQ(news({std::vector<Lacking>{}}), "");
  EXPECT_EQ(step(piece("a", 262'144, 262'144)), "");
  EXPECT_EQ(follower_.lacking(), 0U);
}

}  // namespace
}  // namespace vantro::mirror
