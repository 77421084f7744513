// TFTP with datagrams that no sound client sends, and with the addresses they come from.
#include <arpa/inet.h>
#include <csignal>
#include <netinet/in.h>
#include <random>
#include <sys/socket.h>

#include "base/unique_fd.h"
#include "tests/end_to_end/server_fixture.h"
#include "wire/tftp/packet.h"

namespace vantro::end_to_end {
namespace {

namespace wire = vantro::wire::tftp;

// A UDP socket on an address of 127/8.
class Peer {
 public:
  explicit Peer(const std::string& address) : fd_(::socket(AF_INET, SOCK_DGRAM, 0)) {
    auto own = to(address, 0);
    EXPECT_EQ(::bind(fd_.get(), reinterpret_cast<sockaddr*>(&own), sizeof own), 0);
    const timeval patience{5, 0};
    ::setsockopt(fd_.get(), SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
  }
  void send(const std::string& address, int port, const base::ByteBuffer& bytes) {
    auto where = to(address, port);
    ::sendto(fd_.get(), bytes.data(), bytes.size(), 0,
             reinterpret_cast<sockaddr*>(&where), sizeof where);
  }
  // To where the last datagram came from.
  void answer(const base::ByteBuffer& bytes) {
    ::sendto(fd_.get(), bytes.data(), bytes.size(), 0,
             reinterpret_cast<sockaddr*>(&from_), sizeof from_);
  }
  // The next datagram in words, or "silence". Waits 5 seconds, or not at all.
  std::string hear(bool wait = true) {
    std::array<std::uint8_t, 70'000> buffer;
    socklen_t length = sizeof from_;
    const auto count =
        ::recvfrom(fd_.get(), buffer.data(), buffer.size(), wait ? 0 : MSG_DONTWAIT,
                   reinterpret_cast<sockaddr*>(&from_), &length);
    if (count < 0) return "silence";
    const auto packet =
        wire::parse(base::ByteView(buffer.data(), static_cast<std::size_t>(count)));
    return packet ? wire::describe(*packet) : packet.error().sentence;
  }
  std::string heard_from() const {
    std::array<char, 64> text{};
    ::inet_ntop(AF_INET, &from_.sin_addr, text.data(), text.size());
    return text.data();
  }
  int heard_from_port() const { return ntohs(from_.sin_port); }

 private:
  static sockaddr_in to(const std::string& address, int port) {
    sockaddr_in where{};
    where.sin_family = AF_INET;
    where.sin_port = htons(static_cast<std::uint16_t>(port));
    ::inet_pton(AF_INET, address.c_str(), &where.sin_addr);
    return where;
  }

  base::UniqueFd fd_;
  sockaddr_in from_{};
};

base::ByteBuffer read_request(const std::string& name, wire::Options options = {}) {
  return wire::encode(wire::Request{false, name, "octet", std::move(options)});
}
base::ByteBuffer ack(std::uint16_t block) { return wire::encode(wire::Ack{block}); }

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
  EXPECT_EQ(peer.hear(false), "silence");
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
  ASSERT_TRUE(eventually([&] { return ledger()[0]["name"] == "y.img"; }));
  EXPECT_EQ(ledger()[1]["sentence"], "the device began anew with another request");
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
  EXPECT_EQ(peer.hear(false), "silence");
  peer.answer(ack(1));
  EXPECT_EQ(peer.hear(), "DATA 2 [88]");
  peer.answer(ack(2));
  EXPECT_EQ(stranger.hear(false), "silence");
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
            "ERROR 2 '../../etc/x' holds '..', which is never followed");
  EXPECT_EQ(named("a\x1b[2J"), "ERROR 2 'a\\x1b[2J' holds a control character");
  EXPECT_EQ(named(std::string(300, 'a')),
            "ERROR 2 the name is 300 bytes long; the longest that is taken is 255");
  EXPECT_EQ(named(""), "ERROR 2 the name is empty");
  EXPECT_EQ(
      answer(wire::encode(wire::Request{false, "x.img", "mail", {}})),
      "ERROR 2 mode 'mail' is not served; set the client to binary (octet)");
  EXPECT_EQ(answer({0, 1, 'x'}),
            "ERROR 4 this is no TFTP request: the name in the request does not end");
  EXPECT_EQ(answer({0, 99}), "ERROR 4 this is no TFTP request: 99 is no TFTP opcode");
  EXPECT_EQ(answer(ack(1)), "ERROR 5 no transfer with this address and port is running");
  EXPECT_EQ(answer(base::ByteBuffer(60'000, 'x')),
            "ERROR 4 this is no TFTP request: 30840 is no TFTP opcode");
  // An error is never answered.
  ask(peer, wire::encode(wire::Error{0, "x"}));
  EXPECT_EQ(named("none"), "ERROR 1 'none' is not on offer");
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
  EXPECT_EQ(peer.hear(), "OACK timeout=1");
  peer.answer(ack(0));
  EXPECT_EQ(peer.hear(), "DATA 1 [5]");
  EXPECT_EQ(peer.hear(), "DATA 1 [5]");
  peer.answer(ack(1));
  ASSERT_TRUE(eventually([&] { return ledger()[0]["outcome"] == "complete"; }));
  EXPECT_EQ(ledger()[0]["resent"], 2);
}

TEST_F(TftpWire, ADepositThatBreaksOffIsKeptAsPartial) {
  Peer peer("127.5.5.5");
  ask(peer, wire::encode(wire::Request{true, "x.cfg", "octet", {{"tsize", "900"}}}));
  EXPECT_EQ(peer.hear(), "OACK tsize=900");
  auto data = wire::encode_data_head(1);
  data.resize(4 + 512, 'c');
  peer.answer(data);
  EXPECT_EQ(peer.hear(), "ACK 1");
  peer.answer(wire::encode(wire::Error{0, "cancelled"}));
  ASSERT_TRUE(eventually([&] {
    return !vantro_json({"backup", "list"})["backups"].empty();
  }));
  const auto backup = vantro_json({"backup", "list", "127.5.5.5"})["backups"][0];
  EXPECT_EQ(backup["complete"], false);
  EXPECT_EQ(backup["size"], 512);
  EXPECT_EQ(backup["announced"], 900);
  const auto saved_part = vantro({"backup", "save", "127.5.5.5", "x.cfg", "--to", "-"});
  EXPECT_EQ(saved_part.out, std::string(512, 'c'));
  EXPECT_EQ(backup["why"], "the device ended it with error 0 'cancelled'");
}

TEST_F(TftpWire, StoppingTheServerTellsTheDeviceAndTheLedger) {
  take_in("x.img", std::string(600, 'x'));
  Peer peer("127.0.0.1");
  ask(peer, read_request("x.img"));
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  stop();
  auto heard = peer.hear();
  while (heard == "DATA 1 [512]") heard = peer.hear();  // sent again in the grace
  EXPECT_EQ(heard, "ERROR 0 the server is being stopped; try again in a minute");
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
  ::usleep(200'000);
  Peer late("127.0.0.2");
  ask(late, read_request("x.img"));
  peer.answer(ack(1));
  EXPECT_EQ(server_->wait(), 0);
  EXPECT_EQ(late.hear(false), "silence");
  start();
  EXPECT_EQ(ledger()[2]["outcome"], "complete");
}

}  // namespace
}  // namespace vantro::end_to_end
