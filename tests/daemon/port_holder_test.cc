#include "daemon/port_holder.h"

#include <cerrno>
#include <gtest/gtest.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>

#include "base/unique_fd.h"

namespace vantro::daemon {
namespace {

TEST(PortHolder, FindsTheProcessThatHoldsAPort) {
  const base::UniqueFd socket(::socket(AF_INET, SOCK_DGRAM, 0));
  sockaddr_in own{};
  own.sin_family = AF_INET;
  own.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  ASSERT_EQ(::bind(socket.get(), reinterpret_cast<sockaddr*>(&own), sizeof own), 0);
  socklen_t length = sizeof own;
  ASSERT_EQ(::getsockname(socket.get(), reinterpret_cast<sockaddr*>(&own), &length), 0);
  const base::Endpoint where{base::Address::v4(INADDR_LOOPBACK), ntohs(own.sin_port)};

  const auto holder = port_holder(Transport::kUdp, where);
  ASSERT_TRUE(holder);
  EXPECT_EQ(holder->pid, ::getpid());
  EXPECT_EQ(port_holder(Transport::kTcp, where), std::nullopt);
}

TEST(BindSentence, SaysWhatToDo) {
  const auto port69 = *base::Endpoint::parse("192.0.2.10:69");
  EXPECT_EQ(
      bind_sentence("TFTP", Transport::kUdp, port69, EACCES, "--tftp-listen"),
      "TFTP can't listen on 192.0.2.10:69: ports below 1024 need a permission; give it "
      "with 'setcap cap_net_bind_service=+ep $(command -v vantrod)' as root, or choose "
      "another port with --tftp-listen 192.0.2.10:7069");
  EXPECT_EQ(bind_sentence("TFTP", Transport::kUdp, port69, ENOBUFS, "--tftp-listen"),
            "TFTP can't listen on 192.0.2.10:69: No buffer space available");
}

}  // namespace
}  // namespace vantro::daemon
