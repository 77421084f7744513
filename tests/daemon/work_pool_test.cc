#include "daemon/work_pool.h"

#include <atomic>
#include <boost/asio/post.hpp>
#include <gtest/gtest.h>
#include <new>

namespace vantro::daemon {
namespace {

namespace asio = boost::asio;

TEST(WorkPool, OutlivesWhatItsWorkThrows) {
  std::string told;
  std::atomic<int> done = 0;
  {
    WorkPool pool(2, base::Log(base::Log::Form::kText, base::Log::Level::kInfo, told));
    for (int i = 0; i < 20; ++i) {
      asio::post(pool, [&, i] {
        // One at a time, as the log's text is not locked.
        if (i == 7) throw std::bad_alloc();
        ++done;
      });
    }
    pool.join();
  }
  EXPECT_EQ(done, 19);
  EXPECT_NE(told.find("a piece of work was given up why=std::bad_alloc"),
            std::string::npos)
      << told;
}

TEST(WorkPool, DropsWhatHasNotBegunWhenItEnds) {
  std::atomic<bool> go = false;
  std::atomic<int> done = 0;
  {
    WorkPool pool(1, base::Log());
    asio::post(pool, [&] {
      while (!go) std::this_thread::yield();
      ++done;
    });
    for (int i = 0; i < 5; ++i) asio::post(pool, [&] { ++done; });
    pool.stop();
    go = true;
  }
  EXPECT_LE(done, 1);
}

}  // namespace
}  // namespace vantro::daemon
