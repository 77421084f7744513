#include "serve/reach.h"

#include <gtest/gtest.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "net/socket_address.h"

namespace vantro::serve {
namespace {

using namespace std::chrono_literals;

const auto kHere = base::Address::v4(0x7f000001);

TEST(Reach, ADeviceAnswersWhereItTakesConnections) {
  base::UniqueFd listener(::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0));
  const net::SocketAddress any({kHere, 0, 0});
  ASSERT_EQ(::bind(listener.get(), any.get(), any.size), 0);
  const auto port = net::local_endpoint(listener.get()).port;
  EXPECT_FALSE(answers(kHere, port, "", 1s));
  ASSERT_EQ(::listen(listener.get(), 1), 0);
  EXPECT_TRUE(answers(kHere, port, "", 1s));
  EXPECT_TRUE(answers(kHere, port, "lo", 1s));
  EXPECT_FALSE(answers(kHere, port, "no-such-interface", 1s));
  listener.reset();
  EXPECT_FALSE(answers(kHere, port, "", 1s));
}

TEST(Reach, OrEchoes) {
  const base::UniqueFd raw(::socket(AF_INET, SOCK_RAW | SOCK_CLOEXEC, IPPROTO_ICMP));
  if (!raw) GTEST_SKIP() << "this user may not send echoes";
  EXPECT_TRUE(answers(kHere, 0, "", 2s));
}

}  // namespace
}  // namespace vantro::serve
