// How an FTP data connection comes about: from whom, to where, and when it does not.
#include "serve/ftp/data_way.h"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <set>
#include <thread>

#include "tests/end_to_end/tcp_peer.h"

namespace vantro::serve::ftp {
namespace {

using end_to_end::TcpPeer;

class DataWayTest : public testing::Test {
 protected:
  base::Outcome<std::unique_ptr<DataWay>> listen(std::optional<Ports> ports = {}) {
    return DataWay::listen(
        loop_, *base::Endpoint::parse("127.0.0.1:21"), *base::Address::parse("127.0.0.1"),
        ports,
        [this](const base::Endpoint& peer) { strangers_ += peer.address.text() + " "; });
  }
  // "come", or why it failed.
  std::string wait_for(DataWay& way) {
    std::string what;
    way.when_come(
        [&](base::UniqueFd socket) {
          what = "come";
          socket_ = std::move(socket);
          loop_.stop();
        },
        [&](const std::string& why) {
          what = why;
          loop_.stop();
        });
    loop_.later(std::chrono::steady_clock::now() + std::chrono::seconds(5), [&] {
      what = "nothing came";
      loop_.stop();
    });
    if (what.empty()) loop_.run();
    return what;
  }

  net::EventLoop loop_{std::chrono::seconds(1)};
  base::UniqueFd socket_;
  std::string strangers_;
};

TEST_F(DataWayTest, TakesItsPeerAndNobodyElse) {
  auto way = listen();
  ASSERT_TRUE(way);
  const int port = (*way)->local().port;
  EXPECT_EQ((*way)->local().address.text(), "127.0.0.1");
  TcpPeer thief(port, 0, "127.0.0.9");
  TcpPeer peer(port);
  EXPECT_EQ(wait_for(**way), "come");
  EXPECT_EQ(strangers_, "127.0.0.9 ");
  EXPECT_EQ(thief.receive(), "");
  // It listens no more.
  EXPECT_FALSE(TcpPeer(port).connected());
  ASSERT_EQ(::send(socket_.get(), "x", 1, 0), 1);
  EXPECT_EQ(peer.receive(), "x");
}

TEST_F(DataWayTest, FindsTheFreePortsOfARange) {
  std::vector<std::unique_ptr<DataWay>> all;
  std::set<int> ports;
  for (int i = 0; i < 4; ++i) {
    auto way = listen(Ports{21120, 21123});
    ASSERT_TRUE(way) << way.error().sentence;
    ports.insert((*way)->local().port);
    all.push_back(std::move(*way));
  }
  EXPECT_EQ(ports, (std::set<int>{21120, 21121, 21122, 21123}));
  const auto none = listen(Ports{21120, 21123});
  ASSERT_FALSE(none);
  EXPECT_EQ(none.error().kind, base::Kind::kBusy);
  EXPECT_EQ(none.error().sentence,
            "no port from 21120 to 21123 is free; try again in a moment");
  all.erase(all.begin());
  EXPECT_TRUE(listen(Ports{21120, 21123}));
}

TEST_F(DataWayTest, GoesOutAndSaysWhyItDoesNot) {
  auto here = listen();
  ASSERT_TRUE(here);
  auto out = DataWay::connect(loop_, *base::Endpoint::parse("127.0.0.1:40021"),
                              (*here)->local());
  ASSERT_TRUE(out) << out.error().sentence;
  EXPECT_EQ(wait_for(**out), "come");
}

TEST_F(DataWayTest, SaysThatNobodyListensThere) {
  base::Endpoint closed;
  {
    auto here = listen();
    ASSERT_TRUE(here);
    closed = (*here)->local();
  }
  auto out = DataWay::connect(loop_, *base::Endpoint::parse("127.0.0.1:40021"), closed);
  const auto why = out ? wait_for(**out) : out.error().sentence;
  EXPECT_NE(why.find("Connection refused"), std::string::npos) << why;
}

}  // namespace
}  // namespace vantro::serve::ftp
