#include "wire/tftp/repeated_request.h"

#include <gtest/gtest.h>

namespace vantro::wire::tftp {
namespace {

using namespace std::chrono_literals;

TEST(RepeatedRequest, IsIgnoredWhileNothingWasHeardOnItsTransfer) {
  EXPECT_EQ(on_request({.same_request = true, .opened = false}), OnRequest::kIgnore);
  EXPECT_EQ(on_request({.same_request = true, .opened = true}), OnRequest::kIgnore);
  EXPECT_EQ(on_request({.same_request = false, .opened = false}), OnRequest::kIgnore);
}

TEST(RepeatedRequest, OpensBesideOneThatMayStillBeMeant) {
  EXPECT_EQ(on_request({.same_request = true, .opened = true, .heard = true}),
            OnRequest::kOpenBeside);
  EXPECT_EQ(
      on_request({.same_request = true, .opened = true, .ended = true, .heard = true}),
      OnRequest::kOpenBeside);
}

TEST(RepeatedRequest, AnotherOneBeginsAnew) {
  EXPECT_EQ(on_request({.same_request = false, .opened = true}), OnRequest::kReplace);
  EXPECT_EQ(on_request({.same_request = false, .opened = true, .heard = true}),
            OnRequest::kReplace);
}

TEST(RepeatedRequest, OnASharedPortSilenceDecides) {
  RunningTransfer running{.same_request = true, .opened = true, .heard = true};
  running.shared_port = true;
  running.quiet_for = 1s;
  EXPECT_EQ(on_request(running), OnRequest::kIgnore);
  running.quiet_for = 3s;
  EXPECT_EQ(on_request(running), OnRequest::kReplace);
  running.quiet_for = 0s;
  running.ended = true;
  EXPECT_EQ(on_request(running), OnRequest::kReplace);
}

}  // namespace
}  // namespace vantro::wire::tftp
