#include "crypto/tls.h"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <memory>
#include <openssl/ssl.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <vector>

#include "base/clock.h"
#include "base/unique_fd.h"
#include "crypto/certificate.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::crypto {
namespace {

struct Free {
  void operator()(SSL* one) const { SSL_free(one); }
  void operator()(SSL_CTX* one) const { SSL_CTX_free(one); }
};

// The server's channel and a client of OpenSSL's own, both on one thread: neither socket
// blocks, and the sockets' buffers are small.
class TlsChannelTest : public testing::Test {
 protected:
  void SetUp() override {
    const auto made = make_certificate({"test"}, {}, base::SystemClock{}.wall());
    ASSERT_TRUE(made);
    fakes::write_file(folder_ / "certificate.pem", made->certificate);
    fakes::write_file(folder_ / "key.pem", made->key);
    ::chmod((folder_ / "key.pem").c_str(), 0600);
    auto loaded = TlsServer::load(folder_ / "certificate.pem", folder_ / "key.pem");
    ASSERT_TRUE(loaded) << loaded.error().sentence;
    server_ = *loaded;
    int ends[2];
    ASSERT_EQ(::socketpair(AF_UNIX, SOCK_STREAM | SOCK_NONBLOCK, 0, ends), 0);
    ours_.reset(ends[0]);
    theirs_.reset(ends[1]);
    const int small = 16 * 1024;
    ::setsockopt(ours_.get(), SOL_SOCKET, SO_SNDBUF, &small, sizeof small);
    context_.reset(SSL_CTX_new(TLS_client_method()));
    client_.reset(SSL_new(context_.get()));
    SSL_set_fd(client_.get(), theirs_.get());
    SSL_set_connect_state(client_.get());
    channel_ = server_->accept(ours_.get());
    for (int i = 0; i < 100; ++i) {
      const bool client_done = SSL_do_handshake(client_.get()) == 1;
      if (channel_->handshake() == TlsStep::kDone && client_done) return;
    }
    FAIL() << "no handshake: " << channel_->why();
  }
  // What the client can read now.
  void client_reads() {
    std::vector<char> buffer(4000);
    for (int got = 1; got > 0;) {
      got = SSL_read(client_.get(), buffer.data(), static_cast<int>(buffer.size()));
      if (got > 0) received_.append(buffer.data(), static_cast<std::size_t>(got));
    }
  }
  static std::string pattern(std::size_t size) {
    std::string text;
    while (text.size() < size) text += std::to_string(text.size()) + ",";
    text.resize(size);
    return text;
  }

  fakes::ScratchFolder folder_;
  std::shared_ptr<TlsServer> server_;
  base::UniqueFd ours_, theirs_;
  std::unique_ptr<SSL_CTX, Free> context_;
  std::unique_ptr<SSL, Free> client_;
  std::unique_ptr<TlsChannel> channel_;
  std::string received_;
};

TEST_F(TlsChannelTest, SendsEachByteOnceThroughASocketThatTakesLittleAtATime) {
  const auto text = pattern(1'000'003);
  std::size_t sent = 0;
  int waits = 0;
  while (sent < text.size()) {
    const auto moved = channel_->write(base::as_bytes(text).subspan(sent));
    ASSERT_TRUE(moved.step == TlsStep::kDone || moved.step == TlsStep::kWantWrite);
    if (moved.step == TlsStep::kWantWrite) {
      ++waits;
      client_reads();
    }
    sent += moved.count;
  }
  EXPECT_GT(waits, 10);
  client_reads();
  EXPECT_EQ(received_, text);
}

// Nobody has to call again for bytes that write() has counted.
TEST_F(TlsChannelTest, HoldsNothingBackThatItHasCounted) {
  for (const auto& text : {std::string("a"), pattern(500), pattern(9000)}) {
    received_.clear();
    const auto moved = channel_->write(base::as_bytes(text));
    ASSERT_EQ(moved.step, TlsStep::kDone);
    ASSERT_EQ(moved.count, text.size());
    client_reads();
    EXPECT_EQ(received_, text);
  }
}

TEST_F(TlsChannelTest, TakesTheSameBytesAgainAfterAWaitAlsoIfMoreFollowThem) {
  const auto text = pattern(200'000);
  const auto bytes = base::as_bytes(text);
  ASSERT_EQ(channel_->write(bytes.first(50'000)).step, TlsStep::kWantWrite);
  std::size_t sent = 0;
  while (sent < text.size()) {
    client_reads();
    sent += channel_->write(bytes.subspan(sent)).count;
  }
  client_reads();
  EXPECT_EQ(received_, text);
}

TEST_F(TlsChannelTest, AnswersTheClientsChangeOfKeysWhileItReads) {
  ASSERT_EQ(SSL_key_update(client_.get(), SSL_KEY_UPDATE_REQUESTED), 1);
  ASSERT_EQ(SSL_write(client_.get(), "question", 8), 8);
  std::vector<std::uint8_t> got(100);
  auto moved = channel_->read(got);
  ASSERT_EQ(moved.step, TlsStep::kDone);
  EXPECT_EQ(std::string(got.begin(), got.begin() + 8), "question");
  ASSERT_EQ(channel_->write(base::as_bytes("answer")).step, TlsStep::kDone);
  client_reads();
  EXPECT_EQ(received_, "answer");
}

TEST_F(TlsChannelTest, SaysThatItEnds) {
  channel_->close_notify();
  client_reads();
  EXPECT_EQ(SSL_get_shutdown(client_.get()) & SSL_RECEIVED_SHUTDOWN,
            SSL_RECEIVED_SHUTDOWN);
}

TEST_F(TlsChannelTest, FailsWithTheReasonWhenTheOtherEndHasGone) {
  theirs_.reset();
  const auto text = pattern(100'000);
  auto moved = channel_->write(base::as_bytes(text));
  EXPECT_EQ(moved.step, TlsStep::kFailed);
  EXPECT_EQ(channel_->why(), "Broken pipe");
}

}  // namespace
}  // namespace vantro::crypto
