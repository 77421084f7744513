// Who gets room when connections are short.
#include "net/tcp_shared.h"

#include <gtest/gtest.h>

#include "tests/fakes/sim_clock.h"

namespace vantro::net {
namespace {

class TcpSharedTest : public testing::Test {
 protected:
  TcpShared shared(bool somebody_waits) {
    TcpConfig config;
    config.most_connections = 4;
    config.most_per_address = 2;
    TcpProtocol protocol;
    protocol.make_room = [this, somebody_waits] {
      if (somebody_waits) ++ended_;
      return somebody_waits;
    };
    return TcpShared({pool_, clock_, log_, room_}, config, protocol);
  }
  static base::Address from(const char* text) { return *base::Address::parse(text); }

  fakes::SimClock clock_;
  base::Log log_;
  WorkPool pool_{1, base::Log()};
  ConnectionRoom room_{6};
  int ended_ = 0;
};

TEST_F(TcpSharedTest, NobodyHasToGoForAnAddressThatHasAllItMayHave) {
  auto shared = this->shared(true);
  for (const auto* one : {"192.0.2.1", "192.0.2.1", "192.0.2.2", "192.0.2.2"}) {
    EXPECT_TRUE(shared.take_room(from(one)));
  }
  for (int i = 0; i < 10; ++i) EXPECT_FALSE(shared.take_room(from("192.0.2.1")));
  EXPECT_EQ(ended_, 0);
  EXPECT_TRUE(shared.take_room(from("192.0.2.3")));
  EXPECT_EQ(ended_, 1);
}

// A host has as many IPv6 addresses as it likes.
TEST_F(TcpSharedTest, CountsTheAddressesOfAnIPv6NetworkTogether) {
  TcpConfig config;
  config.most_connections = 100;
  config.most_per_address = 2;
  config.most_per_network = 3;
  ConnectionRoom room(100);
  TcpShared shared({pool_, clock_, log_, room}, config, {});
  EXPECT_TRUE(shared.take_room(from("fe80::1")));
  EXPECT_TRUE(shared.take_room(from("fe80::2")));
  EXPECT_TRUE(shared.take_room(from("fe80::3")));
  EXPECT_FALSE(shared.take_room(from("fe80::4")));
  EXPECT_TRUE(shared.take_room(from("fe80:0:0:1::4")));
  // IPv4 addresses are not one host's.
  for (const auto* one : {"192.0.2.1", "192.0.2.2", "192.0.2.3", "192.0.2.4"}) {
    EXPECT_TRUE(shared.take_room(from(one)));
  }
  shared.give_back(from("fe80::1"));
  EXPECT_TRUE(shared.take_room(from("fe80::4")));
}

TEST_F(TcpSharedTest, ARefusedConnectionTakesNoRoom) {
  auto shared = this->shared(false);
  for (const auto* one : {"192.0.2.1", "192.0.2.1", "192.0.2.2", "192.0.2.2"}) {
    EXPECT_TRUE(shared.take_room(from(one)));
  }
  for (int i = 0; i < 10; ++i) EXPECT_FALSE(shared.take_room(from("192.0.2.3")));
  EXPECT_EQ(shared.status().open, 4u);
  EXPECT_EQ(shared.status().most, 4u);
  EXPECT_EQ(shared.status().turned_away, 10u);
  // Of the six that all protocols share, two are left.
  EXPECT_TRUE(room_.take());
  EXPECT_TRUE(room_.take());
  EXPECT_FALSE(room_.take());
  // Then nobody has to go in vain.
  auto other = this->shared(true);
  EXPECT_FALSE(other.take_room(from("192.0.2.4")));
  EXPECT_EQ(ended_, 0);
  shared.give_back(from("192.0.2.1"));
  EXPECT_TRUE(shared.take_room(from("192.0.2.4")));
}

}  // namespace
}  // namespace vantro::net
