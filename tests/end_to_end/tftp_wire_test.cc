// TFTP with datagrams that no sound client sends, and with the addresses they come from.
#include <csignal>
#include <gmock/gmock.h>
#include <random>

#include "tests/end_to_end/server_fixture.h"
#include "tests/end_to_end/udp_peer.h"
#include "wire/tftp/packet.h"

namespace vantro::end_to_end {
namespace {

using testing::AnyOf;
using testing::ElementsAre;

class TftpWire : public ServerFixture {
 protected:
  void ask(Peer& peer, const base::ByteBuffer& bytes) {
    peer.send(tftp_host(), tftp_port_, bytes);
  }
  void expect_still_serving() {
    take_in("still-here.img", "bytes");
    Peer peer("127.0.0.1");
    ask(peer, read_request("still-here.img"));
    EXPECT_EQ(peer.hear(), "DATA 1 [5]");
    peer.answer(ack(1));
  }
};

class TftpOnEveryAddress : public TftpWire {
 protected:
  void SetUp() override {
    tftp_listen_ = "0.0.0.0:0";
    start();
  }
};

TEST_F(TftpOnEveryAddress, AnswersLeaveFromTheAddressThatWasAsked) {
  take_in("x.img", "bytes");
  for (const auto* asked : {"127.0.0.1", "127.7.7.7", "127.1.2.3"}) {
    Peer peer("127.9.0.1");
    peer.send(asked, tftp_port_, read_request("x.img"));
    EXPECT_EQ(peer.hear(), "DATA 1 [5]");
    EXPECT_EQ(peer.heard_from(), asked);
    EXPECT_NE(peer.heard_from_port(), tftp_port_);
    peer.answer(ack(1));
    peer.send(asked, tftp_port_, read_request("none.img"));
    EXPECT_EQ(peer.hear().substr(0, 7), "ERROR 1");
    EXPECT_EQ(peer.heard_from(), asked);
  }
}

TEST_F(TftpWire, ARepeatedRequestIsTheSameTransfer) {
  take_in("x.img", std::string(600, 'x'));
  Peer peer("127.0.0.1");
  ask(peer, read_request("x.img"));
  ask(peer, read_request("x.img"));
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  EXPECT_EQ(peer.hear_any(false), "silence");
  EXPECT_EQ(vantro_json({"status"})["running_transfers"], 1);
  peer.answer(ack(1));
  EXPECT_EQ(peer.hear(), "DATA 2 [88]");
  peer.answer(ack(2));
  ASSERT_TRUE(
      eventually([&] { return vantro_json({"status"})["running_transfers"] == 0; }));
}

TEST_F(TftpWire, AnotherRequestFromThereReplacesTheTransfer) {
  take_in("x.img", std::string(600, 'x'));
  take_in("y.img", "y");
  Peer peer("127.0.0.1");
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  ask(peer, read_request("y.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [1]");
  peer.answer(ack(1));
  // Which of the two ends is written down first is nobody's promise.
  EXPECT_EQ(row("fetch", "complete")["name"], "y.img");
  EXPECT_EQ(row("fetch", "abandoned")["sentence"],
            "the device began again with another request");
}

TEST_F(TftpWire, TheSameRequestAfterDataHasBegunGetsItsChance) {
  take_in("x.img", std::string(1200, 'x'));
  Peer peer("127.0.0.1");
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  peer.answer(ack(1));
  EXPECT_EQ(peer.hear(), "DATA 2 [512]");
  const auto old_port = peer.heard_from_port();
  // The device was restarted, or an old copy of its request comes late: nobody can tell
  // yet, so both go on.
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  EXPECT_NE(peer.heard_from_port(), old_port);
  peer.send("127.0.0.1", old_port, ack(2));
  EXPECT_EQ(peer.hear(), "DATA 3 [176]");
  peer.answer(ack(3));
  ASSERT_TRUE(eventually([&] { return ledger()[0]["outcome"] == "complete"; }));
  // Again, and this time the peer answers the new one: then the old one is over.
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  peer.answer(ack(1));
  EXPECT_EQ(peer.hear(), "DATA 2 [512]");
  peer.answer(wire::encode(wire::Error{0, "enough"}));
}

TEST_F(TftpWire, ADeviceThatStartedAgainIsServedAtOnce) {
  take_in("x.img", std::string(1200, 'x'));
  Peer peer("127.0.0.1");
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  peer.answer(ack(1));
  EXPECT_EQ(peer.hear(), "DATA 2 [512]");
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  peer.answer(ack(1));
  EXPECT_EQ(peer.hear(), "DATA 2 [512]");
  peer.answer(ack(2));
  EXPECT_EQ(peer.hear(), "DATA 3 [176]");
  peer.answer(ack(3));
  // The two ends may be on record in either order.
  std::string told;
  ASSERT_TRUE(eventually([&] {
    told.clear();
    for (const auto& one : ledger()) {
      if (one["event"] == "fetch") told += one["outcome"].get<std::string>() + ", ";
      if (one["outcome"] == "abandoned") {
        EXPECT_EQ(one["sentence"], "the device began again with another request");
      }
    }
    return told.size() > 20;
  }));
  EXPECT_TRUE(told == "complete, abandoned, " || told == "abandoned, complete, ") << told;
}

TEST_F(TftpWire, AForeignTransferIdGetsAnErrorAndChangesNothing) {
  take_in("x.img", std::string(600, 'x'));
  Peer peer("127.0.0.1");
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  Peer stranger("127.0.0.2");
  stranger.send("127.0.0.1", peer.heard_from_port(), ack(1));
  EXPECT_EQ(stranger.hear(), "ERROR 5 this port serves another transfer");
  stranger.send("127.0.0.1", peer.heard_from_port(),
                wire::encode(wire::Error{0, "stop"}));
  EXPECT_EQ(peer.hear_any(false), "silence");
  peer.answer(ack(1));
  EXPECT_EQ(peer.hear(), "DATA 2 [88]");
  peer.answer(ack(2));
  EXPECT_EQ(stranger.hear_any(false), "silence");
}

TEST_F(TftpWire, SaysInPlainWordsWhyItRefuses) {
  take_in("x.img", "bytes");
  Peer peer("127.0.0.1");
  const auto answer = [&](const base::ByteBuffer& bytes) {
    ask(peer, bytes);
    return peer.hear();
  };
  const auto named = [&](const std::string& name) { return answer(read_request(name)); };
  EXPECT_EQ(named("../../etc/x"),
            "ERROR 2 '../../etc/x' contains '..', which is never followed");
  EXPECT_EQ(named("a\x1b[2J"), "ERROR 2 'a\\x1b[2J' holds a control character");
  EXPECT_EQ(named(std::string(300, 'a')), "ERROR 2 the name has 300 bytes, limit 255");
  EXPECT_EQ(named(""), "ERROR 2 the name is empty");
  EXPECT_EQ(answer(wire::encode(wire::Request{false, "x.img", "mail", {}})),
            "ERROR 2 mode 'mail' is not supported; set the client to binary (octet)");
  EXPECT_EQ(answer({0, 1, 'x'}),
            "ERROR 4 this is not a TFTP request: the name in the request does not end");
  EXPECT_EQ(answer({0, 99}),
            "ERROR 4 this is not a TFTP request: 99 is not a TFTP opcode");
  EXPECT_EQ(answer(ack(1)), "ERROR 5 no transfer with this address and port is running");
  EXPECT_EQ(answer(base::ByteBuffer(60'000, 'x')),
            "ERROR 4 this is not a TFTP request: 30840 is not a TFTP opcode");
  // An error is never answered.
  ask(peer, wire::encode(wire::Error{0, "x"}));
  EXPECT_EQ(named("none"), "ERROR 1 'none' is not on offer");
}

TEST_F(TftpWire, ABootLoaderMayTryManyNames) {
  take_in("x.img", "bytes");
  // Each from a port of its own, none of the refusals acknowledged, as boot loaders do.
  for (int i = 0; i < 40; ++i) {
    Peer peer("127.4.0.1");
    const auto name = "boot." + std::to_string(i);
    ask(peer, read_request(name));
    EXPECT_EQ(peer.hear(), "ERROR 1 '" + name + "' is not on offer");
  }
  Peer peer("127.4.0.1");
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [5]");
  peer.answer(ack(1));
}

TEST_F(TftpWire, SurvivesEveryTruncationAndRandomGarbage) {
  Peer peer("127.0.0.1");
  const auto whole = wire::encode(
      wire::Request{true, "site/x.cfg", "octet", {{"tsize", "42"}, {"blksize", "1428"}}});
  for (std::size_t length = 0; length < whole.size(); ++length) {
    Peer each("127.0.0.1");
    ask(each, base::ByteBuffer(whole.begin(), whole.begin() + static_cast<long>(length)));
  }
  std::mt19937 random(1);
  for (int i = 0; i < 5000; ++i) {
    base::ByteBuffer bytes(random() % 600);
    for (auto& byte : bytes) byte = static_cast<std::uint8_t>(random());
    if (bytes.size() > 2) {
      bytes[0] = 0;
      bytes[1] = static_cast<std::uint8_t>(random() % 8);
    }
    ask(peer, bytes);
  }
  expect_still_serving();
}

TEST_F(TftpWire, GarbageInsideATransferChangesNothing) {
  take_in("x.img", std::string(600, 'x'));
  Peer peer("127.0.0.1");
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  for (const base::ByteBuffer& bytes :
       {base::ByteBuffer{}, {0}, {0, 4}, {0, 4, 0}, {0, 9, 0, 1}, {1, 4, 0, 1}, ack(7)}) {
    peer.answer(bytes);
  }
  peer.answer(ack(1));
  EXPECT_EQ(peer.hear(), "DATA 2 [88]");
  peer.answer(ack(2));
}

TEST_F(TftpWire, AnUnacknowledgedBlockIsSentAgain) {
  take_in("x.img", "bytes");
  Peer peer("127.0.0.1");
  ask(peer, read_request("x.img", {{"timeout", "1"}}));
  EXPECT_EQ(peer.hear(), "OACK timeout=1");
  EXPECT_EQ(peer.hear_any(), "OACK timeout=1");
  peer.answer(ack(0));
  EXPECT_EQ(peer.hear(), "DATA 1 [5]");
  EXPECT_EQ(peer.hear_any(), "DATA 1 [5]");
  peer.answer(ack(1));
  ASSERT_TRUE(eventually([&] { return ledger()[0]["outcome"] == "complete"; }));
  EXPECT_GE(ledger()[0]["resent"], 2);
}

TEST_F(TftpWire, ADepositThatBreaksOffIsKeptAsPartial) {
  Peer peer("127.5.5.5");
  ask(peer, wire::encode(wire::Request{true, "x.cfg", "octet", {{"tsize", "900"}}}));
  EXPECT_EQ(peer.hear(), "OACK tsize=900");
  auto data = wire::encode_data_head(1);
  data.resize(4 + 512, 'x');
  peer.answer(data);
  EXPECT_EQ(peer.hear(), "ACK 1");
  peer.answer(wire::encode(wire::Error{0, "cancelled"}));
  ASSERT_TRUE(eventually([&] {
    return !vantro_json({"backup", "revisions"})["backups"].empty();
  }));
  const auto backup = vantro_json({"backup", "revisions", "127.5.5.5"})["backups"][0];
  EXPECT_EQ(backup["complete"], false);
  EXPECT_EQ(backup["size"], 512);
  EXPECT_EQ(backup["announced"], 900);
  const auto saved_part = vantro({"backup", "write", "127.5.5.5", "x.cfg", "--out", "-"});
  EXPECT_EQ(saved_part.out, std::string(512, 'x'));
  EXPECT_EQ(backup["why"], "the device ended it with error 0 'cancelled'");
}

TEST_F(TftpWire, StoppingTheServerTellsTheDeviceAndTheLedger) {
  stop();
  fakes::write_file(scratch_ / "vantro.toml", "[stop]\ngrace_s = 1\n");
  start({"--config", scratch_ / "vantro.toml"});
  take_in("x.img", std::string(600, 'x'));
  Peer peer("127.0.0.1");
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  stop();
  EXPECT_EQ(peer.hear(), "ERROR 0 the server is being stopped; try again in a minute");
  start();
  const auto rows = ledger();
  EXPECT_EQ(rows[0]["event"], "server-start");
  EXPECT_EQ(rows[1]["event"], "server-stop");
  EXPECT_EQ(rows[2]["event"], "fetch");
  EXPECT_EQ(rows[2]["outcome"], "failed");
  EXPECT_EQ(rows[2]["sentence"], "the server is being stopped; try again in a minute");
}

TEST_F(TftpWire, StoppingTheServerLetsATransferFinishInItsGrace) {
  take_in("x.img", "bytes");
  Peer peer("127.0.0.1");
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [5]");
  server_->signal(SIGTERM);
  ASSERT_TRUE(eventually([&] {
    return fakes::read_file(scratch_ / "server.err").find("stopping") !=
           std::string::npos;
  }));
  Peer late("127.0.0.2");
  ask(late, read_request("x.img"));
  peer.answer(ack(1));
  EXPECT_EQ(server_->wait(), 0);
  EXPECT_EQ(late.hear(),
            "ERROR 0 the server is being restarted; try again in 10 minutes");
  start();
  EXPECT_EQ(row("fetch", "complete")["name"], "x.img");
  EXPECT_EQ(row("fetch", "refused")["actor"], "127.0.0.2");
}

// With settings of their own.
class TftpWithSettings : public TftpWire {
 protected:
  void SetUp() override {}
  void start_with(const std::string& toml) {
    fakes::write_file(scratch_ / "vantro.toml", toml);
    start({"--config", scratch_ / "vantro.toml"});
  }
};

TEST_F(TftpWithSettings, AnswersLeaveFromAPortOfTheRange) {
  start_with("tftp.reply_ports = \"51000-51003\"");
  take_in("x.img", std::string(600, 'x'));
  std::vector<std::unique_ptr<Peer>> peers;
  for (int i = 0; i < 4; ++i) {
    peers.push_back(std::make_unique<Peer>("127.0.0.1"));
    ask(*peers.back(), read_request("x.img"));
    EXPECT_EQ(peers.back()->hear(), "DATA 1 [512]");
    EXPECT_GE(peers.back()->heard_from_port(), 51000);
    EXPECT_LE(peers.back()->heard_from_port(), 51003);
  }
  Peer late("127.0.0.1");
  ask(late, read_request("x.img"));
  EXPECT_EQ(
      late.hear(),
      "ERROR 0 the server has no port left for this transfer; try again in a minute");
  for (auto& peer : peers) {
    peer->answer(ack(1));
    EXPECT_EQ(peer->hear(), "DATA 2 [88]");
    peer->answer(ack(2));
  }
}

TEST_F(TftpWithSettings, AnswersLeaveFromTheListeningPort) {
  start_with("tftp.reply_ports = \"listening\"");
  const auto image = fakes::noise(700'000);
  take_in("x.img", image);
  Peer peer("127.0.0.1");
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  EXPECT_EQ(peer.heard_from_port(), tftp_port_);
  peer.answer(wire::encode(wire::Error{0, "enough"}));
  const auto got = run({"curl", "-sS", "-m", "60", tftp_url("x.img")});
  EXPECT_TRUE(fakes::same_bytes(got.out, image));
  fakes::write_file(scratch_ / "given", image);
  EXPECT_EQ(
      run({"curl", "-sS", "-m", "60", "-T", scratch_ / "given", tftp_url("x.cfg")}).code,
      0);
  EXPECT_TRUE(fakes::same_bytes(saved("127.0.0.1", "x.cfg"), image));
}

TEST_F(TftpWithSettings, ASilentAddressGetsAHandfulOfDatagrams) {
  start_with("tftp.resend_after_ms = 50");
  take_in("x.img", std::string(600, 'x'));
  std::vector<std::unique_ptr<Peer>> peers;
  for (int i = 0; i < 100; ++i) {
    peers.push_back(std::make_unique<Peer>("127.5.0.1"));
    ask(*peers.back(), read_request("x.img"));
  }
  ASSERT_TRUE(eventually([&] {
    return vantro_json({"status"})["running_transfers"] == 0 && ledger().size() > 8;
  }));
  int heard = 0;
  std::string words;
  for (auto& peer : peers) {
    for (auto text = peer->hear_any(false); text != "silence";
         text = peer->hear_any(false)) {
      ++heard;
      if (text.find("acknowledged") != std::string::npos) words = text;
    }
  }
  // Eight transfers that are sent once, four times more, and then told that it is over;
  // and one that says why no more comes.
  EXPECT_LE(heard, 8 * 6 + 1);
  EXPECT_EQ(words,
            "ERROR 0 127.5.0.1 has acknowledged none of the last answers; it gets no "
            "more for a while");
  const auto contact = vantro_json({"contact"})["contacts"][0];
  EXPECT_EQ(contact["requests"], 100);
  EXPECT_EQ(contact["unanswered"], 91);
  // Others are served, and so is this one once it acknowledges.
  expect_still_serving();
}

TEST_F(TftpWithSettings, TransfersOfOneDeviceAreLimited) {
  start_with("limits.transfers_per_device = 2");
  take_in("x.img", std::string(600, 'x'));
  Peer first("127.0.0.1");
  Peer second("127.0.0.1");
  Peer third("127.0.0.1");
  ask(first, read_request("x.img"));
  EXPECT_EQ(first.hear(), "DATA 1 [512]");
  ask(second, read_request("x.img"));
  EXPECT_EQ(second.hear(), "DATA 1 [512]");
  ask(third, read_request("x.img"));
  EXPECT_EQ(
      third.hear(),
      "ERROR 0 too many transfers with 127.0.0.1: 2 running, limit 2; let them end, or "
      "wait a minute");
  first.answer(wire::encode(wire::Error{0, "enough"}));
  ASSERT_TRUE(
      eventually([&] { return vantro_json({"status"})["running_transfers"] == 1; }));
  ask(third, read_request("x.img"));
  EXPECT_EQ(third.hear(), "DATA 1 [512]");
}

// Small files one after the other: what has ended takes no place any more.
TEST_F(TftpWire, ManyTransfersInARowAreWithinTheLimit) {
  take_in("x.img", "the image");
  for (int i = 0; i < 70; ++i) {
    Peer writer("127.0.0.1");
    ask(writer, wire::encode(wire::Request{true, "a" + std::to_string(i), "octet", {}}));
    ASSERT_EQ(writer.hear(), "ACK 0") << i;
    auto data = wire::encode_data_head(1);
    data.push_back('x');
    writer.answer(data);
    ASSERT_EQ(writer.hear(), "ACK 1") << i;
  }
  for (int i = 0; i < 70; ++i) {
    Peer reader("127.0.0.1");
    ask(reader, read_request("x.img"));
    ASSERT_EQ(reader.hear(), "DATA 1 [9]") << i;
    reader.answer(wire::encode(wire::Ack{1}));
  }
}

TEST_F(TftpWire, ADeviceThatWritesItsFlashIsNotFlooded) {
  take_in("x.img", std::string(200'000, 'x'));
  Peer peer("127.0.0.1");
  ask(peer, wire::encode(wire::Request{
                false, "x.img", "octet", {{"timeout", "3"}, {"windowsize", "64"}}}));
  EXPECT_EQ(peer.hear(), "OACK timeout=3 windowsize=64");
  peer.answer(wire::encode(wire::Ack{0}));
  for (int i = 1; i <= 64; ++i) {
    ASSERT_EQ(peer.hear(), "DATA " + std::to_string(i) + " [512]");
  }
  // A machine that stood still for long may have sent only the first.
  EXPECT_THAT(
      peer.hear_for(std::chrono::seconds(2)),
      AnyOf(ElementsAre("DATA 1 [512]", "DATA 64 [512]"), ElementsAre("DATA 1 [512]")));
  peer.answer(wire::encode(wire::Ack{64}));
  EXPECT_EQ(peer.hear(), "DATA 65 [512]");
}

TEST_F(TftpWire, ADeviceThatReadsItsFlashIsNotFlooded) {
  Peer peer("127.0.0.1");
  ask(peer, wire::encode(wire::Request{
                true, "x.cfg", "octet", {{"timeout", "5"}, {"windowsize", "64"}}}));
  EXPECT_EQ(peer.hear(), "OACK timeout=5 windowsize=64");
  auto data = wire::encode_data_head(1);
  data.resize(4 + 512, 'c');
  peer.answer(data);
  // The window is not full, so what has come of it is acknowledged, and once more at most
  // twice.
  const auto heard = peer.hear_for(std::chrono::seconds(2));
  EXPECT_LE(heard.size(), 3u);
  for (const auto& one : heard) EXPECT_EQ(one, "ACK 1");
  data = wire::encode_data_head(2);
  data.resize(4 + 3, 'c');
  peer.answer(data);
  EXPECT_EQ(peer.hear(), "ACK 2");
}

TEST_F(TftpWithSettings, ATimeoutIsWaitedForToTheLetter) {
  start_with("tftp.timeout_to_the_letter = true");
  take_in("x.img", std::string(2000, 'x'));
  Peer peer("127.0.0.1");
  ask(peer, wire::encode(wire::Request{false, "x.img", "octet", {{"timeout", "2"}}}));
  EXPECT_EQ(peer.hear(), "OACK timeout=2");
  peer.answer(wire::encode(wire::Ack{0}));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  const auto began = std::chrono::steady_clock::now();
  EXPECT_EQ(peer.hear_any(), "DATA 1 [512]");
  EXPECT_GE(std::chrono::steady_clock::now() - began, std::chrono::milliseconds(1900));
}

TEST_F(TftpWire, ASecondServerOnThePortIsRefused) {
  const auto again =
      run({vantrod_program(), "--state", scratch_ / "other", "--tftp-listen",
           "127.0.0.1:" + std::to_string(tftp_port_), "--management-listen",
           "127.0.0.1:0", "--management-socket", "none"});
  EXPECT_EQ(again.code, 1);
  EXPECT_NE(again.err.find("vantrod"), std::string::npos) << again.err;
}

class TftpOverIpv6 : public TftpWire {
 protected:
  void SetUp() override {
    tftp_listen_ = "[::1]:0";
    start();
  }
};

TEST_F(TftpOverIpv6, FetchesAndDeposits) {
  const auto image = fakes::noise(100'000);
  take_in("x.img", image);
  const auto got = run({"curl", "-sS", "-g", "-m", "60", tftp_url("x.img")});
  EXPECT_TRUE(fakes::same_bytes(got.out, image)) << got.err;
  fakes::write_file(scratch_ / "given", image);
  const auto sent =
      run({"curl", "-sS", "-g", "-m", "60", "-T", scratch_ / "given", tftp_url("x.cfg")});
  EXPECT_EQ(sent.code, 0) << sent.err;
  EXPECT_TRUE(fakes::same_bytes(saved("::1", "x.cfg"), image));
  Peer peer("::1");
  peer.send("::1", tftp_port_, read_request("none.img"));
  EXPECT_EQ(peer.hear(), "ERROR 1 'none.img' is not on offer");
  EXPECT_EQ(vantro_json({"contact", "::1"})["lines"][0]["heard_on"],
            "[::1]:" + std::to_string(tftp_port_) + " on lo");
}

}  // namespace
}  // namespace vantro::end_to_end
