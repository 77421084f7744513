// "vantro contact": how nothing arriving is told from being refused, and that from
// breaking off.
#include "base/clock.h"
#include "tests/end_to_end/server_fixture.h"
#include "tests/end_to_end/udp_peer.h"

namespace vantro::end_to_end {
namespace {

class ContactCommand : public ServerFixture {
 protected:
  void SetUp() override {
    fakes::write_file(scratch_ / "vantro.toml", "tftp.resend_after_ms = 50");
    start({"--config", scratch_ / "vantro.toml"});
    take_in("x.img", std::string(1200, 'x'));
  }
  void ask(Peer& peer, const base::ByteBuffer& bytes) {
    peer.send(tftp_host(), tftp_port_, bytes);
  }
  std::string on_listener() const {
    return "127.0.0.1:" + std::to_string(tftp_port_) + " on lo";
  }
};

TEST_F(ContactCommand, SaysSoWhenNobodyWasHeard) {
  EXPECT_NE(vantro({"contact"}).out.find("No device has contacted the server yet."),
            std::string::npos);
  const auto output = vantro({"contact", "192.0.2.9"});
  EXPECT_EQ(output.code, 5);
  EXPECT_NE(output.err.find("192.0.2.9 never contacted the server"), std::string::npos);
  EXPECT_EQ(vantro({"contact", "router"}).code, 5);
}

TEST_F(ContactCommand, TellsTheStoryOfOneAddressInOrder) {
  Peer peer("127.6.0.1");
  ask(peer, {0xff, 0xff, 1});
  EXPECT_EQ(peer.hear(),
            "ERROR 4 this is not a TFTP request: 65535 is not a TFTP opcode");
  // The next one is of a later millisecond.
  const auto heard_at = base::SystemClock{}.wall();
  ASSERT_TRUE(eventually([&] { return base::SystemClock{}.wall() > heard_at; }));
  ask(peer, read_request("y.img"));
  peer.hear();
  ask(peer, read_request("x.img"));
  for (const std::uint16_t block : {1, 2, 3}) {
    peer.hear();
    peer.answer(ack(block));
  }
  ASSERT_TRUE(eventually([&] {
    return vantro_json({"contact", "127.6.0.1"})["lines"].size() == 3;
  }));
  const auto lines = vantro_json({"contact", "127.6.0.1"})["lines"];
  EXPECT_EQ(lines[0]["state"], "heard");
  EXPECT_EQ(lines[1]["sentence"],
            "asked for 'y.img'; refused: 'y.img' is not on offer; nearest: 'x.img'");
  EXPECT_EQ(lines[1]["heard_on"], on_listener());
  EXPECT_EQ(lines[2]["state"], "complete");
  const auto told = vantro({"contact"}).out;
  EXPECT_NE(told.find("127.6.0.1"), std::string::npos) << told;
  EXPECT_NE(told.find("'x.img' sent completely: 1.2 KiB in "), std::string::npos) << told;
}

TEST_F(ContactCommand, NamesAFirewallWhereNothingComesBack) {
  Peer peer("127.6.0.2");
  ask(peer, read_request("x.img"));
  ASSERT_TRUE(eventually(
      [&] { return vantro_json({"contact"})["contacts"][0]["state"] == "abandoned"; }));
  const auto sentence =
      vantro_json({"contact"})["contacts"][0]["sentence"].get<std::string>();
  EXPECT_NE(sentence.find("answered 5 times without a reply: look for a firewall "
                          "or a wrong route between the server and the device"),
            std::string::npos)
      << sentence;
}

TEST_F(ContactCommand, WatchShowsAStallAndSaysAtItsEndWhatWasAcknowledged) {
  fakes::write_file(scratch_ / "nothing", "");
  Process watch({vantro_program(), "watch", "--seconds", "6"}, client_environment(),
                scratch_ / "watch.out", scratch_ / "watch.err");
  const auto watched = [&] { return fakes::read_file(scratch_ / "watch.out"); };
  // The view tells what runs already when it opens.
  Peer peer("127.6.0.3");
  ask(peer, read_request("x.img"));
  peer.hear();
  peer.answer(ack(1));
  ASSERT_TRUE(eventually([&] {
    return watched().find("127.6.0.3 fetches x.img: stalled, 512 B of 1.2 KiB (43%)") !=
           std::string::npos;
  })) << watched();
  for (auto said = peer.hear(); said != "DATA 3 [176]"; said = peer.hear())
    peer.answer(ack(2));
  peer.answer(ack(3));
  EXPECT_EQ(watch.wait(), 0);
  EXPECT_NE(watched().find("While this view was open 1 ended; 1 complete, every byte "
                           "acknowledged: 1.2 KiB in "),
            std::string::npos)
      << watched();
}

}  // namespace
}  // namespace vantro::end_to_end
