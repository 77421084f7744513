#include "net/front.h"

#include <cerrno>
#include <gtest/gtest.h>

namespace vantro::net {
namespace {

class MoveListeners : public testing::Test {
 protected:
  using All = std::vector<std::string>;

  static std::vector<base::Endpoint> at(const All& texts) {
    std::vector<base::Endpoint> all;
    for (const auto& one : texts) all.push_back(*base::Endpoint::parse(one));
    return all;
  }
  // What was done, in order; an address in `taken` can't be had.
  All move(const All& from, const All& to, const All& taken = {}) {
    All done;
    failed_ = "";
    const auto moved = move_listeners(
        at(from), at(to),
        [&](const auto& where) { done.push_back("close " + where.text()); },
        [&](const auto& where) {
          for (const auto& one : taken) {
            if (one == where.text()) return EADDRINUSE;
          }
          done.push_back("open " + where.text());
          return 0;
        });
    if (!moved) failed_ = moved.error().where.text();
    return done;
  }
  std::string failed_;
};

TEST_F(MoveListeners, OpensWhatIsNewBeforeItClosesWhatIsOld) {
  EXPECT_EQ(move({"192.0.2.1:69", "192.0.2.2:69"}, {"192.0.2.2:69", "192.0.2.3:69"}),
            (All{"open 192.0.2.3:69", "close 192.0.2.1:69"}));
  EXPECT_EQ(move({"192.0.2.1:69"}, {"192.0.2.1:69"}), All());
  EXPECT_EQ(move({"192.0.2.1:69"}, {}), All{"close 192.0.2.1:69"});
}

// All addresses of a port can't be listened on beside one of them.
TEST_F(MoveListeners, ClosesFirstWhatIsInTheWay) {
  EXPECT_EQ(move({"0.0.0.0:69", "192.0.2.9:70"}, {"192.0.2.1:69"}),
            (All{"close 0.0.0.0:69", "open 192.0.2.1:69", "close 192.0.2.9:70"}));
  EXPECT_EQ(move({"[::]:69"}, {"192.0.2.1:69"}),
            (All{"open 192.0.2.1:69", "close [::]:69"}));
}

TEST_F(MoveListeners, LeavesAllAsItWasIfOneCantBeHad) {
  EXPECT_EQ(move({"0.0.0.0:69", "192.0.2.9:70"}, {"192.0.2.1:69", "192.0.2.2:80"},
                 {"192.0.2.2:80"}),
            (All{"close 0.0.0.0:69", "open 192.0.2.1:69", "close 192.0.2.1:69",
                 "open 0.0.0.0:69"}));
  EXPECT_EQ(failed_, "192.0.2.2:80");
}

}  // namespace
}  // namespace vantro::net
