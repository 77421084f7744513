#include "daemon/in_force.h"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/file.h>

#include "base/unique_fd.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::daemon {
namespace {

TEST(InForce, IsToldWhileAServerRuns) {
  const fakes::ScratchFolder state;
  const Given given{{"tftp.threads", "4"}, {"rule", "[{\n  from = 'a\\b'\n}]"}};
  ASSERT_TRUE(save_in_force(state.path(), given));
  // Nobody holds the lock: what is there is of a server that has died.
  EXPECT_EQ(in_force_at(state.path()), std::nullopt);
  const base::UniqueFd lock(
      ::open((state.path() + "/lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600));
  ASSERT_EQ(::flock(lock.get(), LOCK_EX), 0);
  EXPECT_EQ(in_force_at(state.path()), given);
  remove_in_force(state.path());
  EXPECT_EQ(in_force_at(state.path()), std::nullopt);
}

TEST(InForce, DiffersByKey) {
  EXPECT_EQ(differing({{"a", "1"}, {"b", "2"}, {"c", "3"}}, {{"a", "1"}, {"b", "x"}}),
            (std::set<std::string>{"b", "c"}));
  EXPECT_TRUE(differing({}, {}).empty());
}

}  // namespace
}  // namespace vantro::daemon
