#include "upkeep/follow_up.h"

#include <atomic>
#include <chrono>
#include <gtest/gtest.h>
#include <stdexcept>
#include <sys/resource.h>

#include "tests/fakes/eventually.h"

namespace vantro::upkeep {
namespace {

using Did = FollowUp::Did;

TEST(FollowUp, WorksWithoutAPauseWhileThereIsWorkAndLooksAgainLater) {
  std::atomic<int> calls = 0;
  std::atomic<int> waiting = 50;
  FollowUp follow_up({}, "", [&] {
    ++calls;
    if (waiting == 0) return Did::kNothing;
    --waiting;
    return Did::kSome;
  });
  follow_up.start();
  EXPECT_TRUE(fakes::eventually([&] { return waiting == 0; }));
  EXPECT_GE(calls, 50);
  waiting = 1;
  EXPECT_TRUE(fakes::eventually([&] { return waiting == 0; }));
}

TEST(FollowUp, YieldsToAllOtherThreads) {
  std::atomic<int> nice = 0;
  FollowUp follow_up({}, "", [&] {
    nice = ::getpriority(PRIO_PROCESS, 0);
    return Did::kNothing;
  });
  const auto own = ::getpriority(PRIO_PROCESS, 0);
  follow_up.start();
  EXPECT_TRUE(fakes::eventually([&] { return nice >= own + 10 || nice == 19; }));
  EXPECT_EQ(::getpriority(PRIO_PROCESS, 0), own);
}

// What failed is not tried again and again; a stop does not wait for the next try.
TEST(FollowUp, PausesAfterAFailureAndStopsInIt) {
  std::atomic<int> calls = 0;
  FollowUp follow_up({}, "", [&] {
    ++calls;
    return Did::kFailed;
  });
  follow_up.start();
  EXPECT_TRUE(fakes::eventually([&] { return calls == 1; }));
  follow_up.stop();
  EXPECT_TRUE(follow_up.stopping());
  EXPECT_EQ(calls, 1);
}

TEST(FollowUp, AnExceptionEndsTheWorkAndNotTheProcess) {
  std::atomic<int> calls = 0;
  FollowUp follow_up({}, "", [&]() -> Did {
    ++calls;
    throw std::runtime_error("no memory");
  });
  follow_up.start();
  EXPECT_TRUE(fakes::eventually([&] { return calls == 1; }));
  follow_up.stop();
  EXPECT_EQ(calls, 1);
}

}  // namespace
}  // namespace vantro::upkeep
