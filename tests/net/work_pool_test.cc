#include "net/work_pool.h"

#include <algorithm>
#include <atomic>
#include <gtest/gtest.h>
#include <new>
#include <string>
#include <thread>
#include <vector>

namespace vantro::net {
namespace {

TEST(WorkPool, OutlivesWhatItsWorkThrows) {
  std::string told;
  std::atomic<int> done = 0;
  {
    WorkPool pool(2, base::Log(base::Log::Form::kText, base::Log::Level::kInfo, told));
    for (int i = 0; i < 20; ++i) {
      pool.post([&, i] {
        // One at a time, as the log's text is not locked.
        if (i == 7) throw std::bad_alloc();
        ++done;
      });
    }
    pool.join();
  }
  EXPECT_EQ(done, 19);
  EXPECT_NE(told.find("a task was dropped why=std::bad_alloc"), std::string::npos)
      << told;
}

TEST(WorkPool, DropsWhatHasNotBegunWhenItEnds) {
  std::atomic<bool> go = false;
  std::atomic<int> done = 0;
  {
    WorkPool pool(1, base::Log());
    pool.post([&] {
      while (!go) std::this_thread::yield();
      ++done;
    });
    for (int i = 0; i < 5; ++i) pool.post([&] { ++done; });
    pool.stop();
    go = true;
  }
  EXPECT_LE(done, 1);
}

TEST(WorkPool, KeepsAnOrderWhereItIsAsked) {
  std::atomic<int> at_once = 0;
  std::vector<int> done;
  {
    WorkPool pool(4, base::Log());
    InOrder in_order(pool);
    for (int i = 0; i < 1000; ++i) {
      in_order.post([&, i] {
        EXPECT_EQ(++at_once, 1);
        done.push_back(i);
        --at_once;
      });
    }
    pool.join();
  }
  EXPECT_EQ(done.size(), 1000u);
  EXPECT_TRUE(std::is_sorted(done.begin(), done.end()));
}

}  // namespace
}  // namespace vantro::net
