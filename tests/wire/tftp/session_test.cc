// The two machines, step by step: what they answer to what, and what they do not.
#include <gtest/gtest.h>

#include "tests/fakes/sim_clock.h"
#include "wire/tftp/read_session.h"
#include "wire/tftp/write_session.h"

namespace vantro::wire::tftp {
namespace {

using namespace std::chrono_literals;

// Words for the tests: what happens to a session, and what it did, as text.
class SessionTest : public testing::Test {
 protected:
  void begin(std::unique_ptr<Session> session) {
    session_ = std::move(session);
    step(Begin{});
  }
  void begin_read(std::uint64_t size, Options options = {}) {
    const Request request{false, "x", "octet", std::move(options)};
    begin(std::make_unique<ReadSession>(negotiate(request, size), size, Patience{}, 1));
  }
  void begin_write(Options options = {}) {
    const Request request{true, "x", "octet", std::move(options)};
    begin(std::make_unique<WriteSession>(negotiate(request, {}), Patience{}, 1));
  }

  void ack(std::uint16_t block) { datagram(encode(Ack{block})); }
  void data(std::uint16_t block, std::size_t size) {
    auto bytes = encode_data_head(block);
    bytes.resize(bytes.size() + size, 'd');
    datagram(bytes);
  }
  void datagram(const base::ByteBuffer& bytes) { step(Datagram{bytes}); }
  void file_read(std::size_t count) { step(FileRead{base::ByteBuffer(count, 'f')}); }
  void wait(base::Duration time) {
    clock_.advance(time);
    step(DeadlinePassed{});
  }

  void step(const Event& event) {
    Actions actions;
    session_->step(event, clock_.now(), actions);
    for (const auto& action : actions) note(action);
  }

  // What was done since the last call.
  std::string done() { return std::exchange(done_, ""); }

  std::unique_ptr<Session> session_;
  fakes::SimClock clock_;

 private:
  void note(const Action& action) {
    if (!done_.empty()) done_ += ", ";
    if (const auto* send = std::get_if<Send>(&action)) {
      const auto packet = parse(send->packet);
      done_ += packet ? describe(*packet) : "NO PACKET";
    } else if (const auto* blocks = std::get_if<SendBlocks>(&action)) {
      // The size of the last one; of the others it is the block size.
      const auto before = (blocks->count - 1) * blocks->block_size;
      const auto last = blocks->first + blocks->count - 1;
      const auto numbers =
          blocks->count == 1 ? std::to_string(last)
                             : std::to_string(blocks->first) + "-" + std::to_string(last);
      done_ +=
          "DATA " + numbers + " [" + std::to_string(blocks->bytes.size() - before) + "]";
    } else if (const auto* read = std::get_if<ReadFile>(&action)) {
      done_ += "read " + std::to_string(read->offset) + "+" + std::to_string(read->count);
    } else if (const auto* write = std::get_if<WriteFile>(&action)) {
      done_ += "write " + std::to_string(write->bytes.size());
    } else if (std::holds_alternative<CommitFile>(action)) {
      done_ += "commit";
    } else {
      const auto& ended = std::get<Ended>(action);
      done_ += ended.how == Ended::How::kComplete ? "complete"
               : ended.how == Ended::How::kFailed ? "failed: " + ended.why
                                                  : "abandoned: " + ended.why;
    }
  }

  std::string done_;
};

using TftpReadSession = SessionTest;
using TftpWriteSession = SessionTest;

TEST_F(TftpReadSession, SendsABlockForEachAcknowledgement) {
  begin_read(1000);
  EXPECT_EQ(done(), "read 0+1000");
  file_read(1000);
  EXPECT_EQ(done(), "DATA 1 [512]");
  ack(1);
  EXPECT_EQ(done(), "DATA 2 [488]");
  ack(2);
  EXPECT_EQ(done(), "complete");
  EXPECT_EQ(session_->progress().bytes, 1000u);
}

TEST_F(TftpReadSession, EndsAnExactMultipleWithAnEmptyBlock) {
  begin_read(512);
  file_read(512);
  ack(1);
  EXPECT_EQ(done(), "read 0+512, DATA 1 [512], DATA 2 [0]");
  ack(2);
  EXPECT_EQ(done(), "complete");
}

TEST_F(TftpReadSession, SendsAnEmptyFileWithoutReading) {
  begin_read(0);
  EXPECT_EQ(done(), "DATA 1 [0]");
  ack(1);
  EXPECT_EQ(done(), "complete");
}

TEST_F(TftpReadSession, WaitsForTheOptionsToBeAcknowledged) {
  begin_read(9, {{"tsize", "0"}});
  EXPECT_EQ(done(), "OACK tsize=9, read 0+9");
  file_read(9);
  ack(1);  // not what is expected now
  EXPECT_EQ(done(), "");
  ack(0);
  EXPECT_EQ(done(), "DATA 1 [9]");
}

TEST_F(TftpReadSession, IgnoresAnAckForABlockThatIsStillBeingRead) {
  begin_read(100'000, {{"blksize", "32768"}});
  file_read(32768);
  ack(0);
  EXPECT_EQ(done(), "OACK blksize=32768, read 0+32768, read 32768+32768, DATA 1 [32768]");
  ack(1);
  EXPECT_EQ(done(), "");  // block 2 is not here yet
  ack(2);
  EXPECT_EQ(done(), "");
  EXPECT_EQ(session_->deadline(), std::nullopt);  // the disk is late, not the peer
  file_read(32768);
  EXPECT_EQ(done(), "DATA 2 [32768], read 65536+32768");
}

TEST_F(TftpReadSession, NeverAnswersADuplicateAckNorLetsItMoveTheDeadline) {
  begin_read(2000);
  file_read(2000);
  ack(1);
  done();
  const auto deadline = session_->deadline();
  for (int i = 0; i < 9; ++i) {
    clock_.advance(100ms);
    ack(1);
  }
  EXPECT_EQ(done(), "");
  EXPECT_EQ(session_->deadline(), deadline);
  wait(100ms);
  EXPECT_EQ(done(), "DATA 2 [512]");
  EXPECT_EQ(session_->progress().resent, 1u);
}

TEST_F(TftpReadSession, WrapsTheBlockNumberToZero) {
  constexpr std::uint64_t kBlocks = 65'600;
  begin_read(kBlocks * 8, {{"blksize", "8"}});
  ack(0);
  file_read(32768);
  done();
  std::uint64_t given = 32768;
  for (std::uint64_t block = 1; block <= kBlocks + 1; ++block) {
    const auto did = done();
    if (did.find("read ") != std::string::npos && given < kBlocks * 8) {
      const auto count = std::min<std::uint64_t>(32768, kBlocks * 8 - given);
      file_read(count);
      given += count;
    }
    ack(static_cast<std::uint16_t>(block));
  }
  EXPECT_EQ(done(), "complete");
  EXPECT_EQ(session_->progress().bytes, kBlocks * 8);
}

TEST_F(TftpReadSession, BacksOffAndGivesUpInBoundedTime) {
  begin_read(9);
  file_read(9);
  done();
  int sent = 0;
  const auto began = clock_.now();
  base::Duration last{};
  while (!session_->done()) {
    const auto gap = *session_->deadline() - clock_.now();
    EXPECT_GE(gap * 11, last * 9);  // grows, but for the jitter and the cap
    last = gap;
    clock_.move_to(*session_->deadline());
    step(DeadlinePassed{});
    ++sent;
  }
  EXPECT_EQ(session_->progress().resent, 4u);
  EXPECT_EQ(sent, 5);
  EXPECT_LE(clock_.now() - began, 25s);
  EXPECT_NE(done().find("ERROR 0 no acknowledgement arrived; the transfer ends, "
                        "abandoned: answered 5 times without a reply: look for a "
                        "firewall or a wrong route between the server and the device"),
            std::string::npos);
}

TEST_F(TftpReadSession, BearsLongerWithAPeerThatWasHeard) {
  begin_read(2000);
  file_read(2000);
  ack(1);
  done();
  const auto began = clock_.now();
  while (!session_->done()) {
    clock_.move_to(*session_->deadline());
    step(DeadlinePassed{});
  }
  EXPECT_EQ(clock_.now() - began, 45s);
  EXPECT_NE(done().find("abandoned: the device went silent after 512 of 2000 bytes"),
            std::string::npos);
}

TEST_F(TftpReadSession, SendsAWindowForEachAcknowledgement) {
  begin_read(3000, {{"windowsize", "4"}});
  file_read(3000);
  ack(0);
  EXPECT_EQ(done(), "OACK windowsize=4, read 0+3000, DATA 1-4 [512]");
  ack(4);
  EXPECT_EQ(done(), "DATA 5-6 [440]");
  ack(6);
  EXPECT_EQ(done(), "complete");
}

TEST_F(TftpReadSession, SendsAnEmptyLastBlockWithItsWindow) {
  begin_read(1024, {{"windowsize", "4"}});
  file_read(1024);
  ack(0);
  EXPECT_EQ(done(), "OACK windowsize=4, read 0+1024, DATA 1-3 [0]");
  ack(3);
  EXPECT_EQ(done(), "complete");
}

TEST_F(TftpReadSession, ResendsAWindowFromTheBlockThatWasLost) {
  begin_read(10'000, {{"windowsize", "4"}});
  file_read(10'000);
  clock_.advance(10ms);
  ack(0);
  done();
  clock_.advance(10ms);
  ack(2);
  // At once and whole: most clients say nothing to less than a window.
  EXPECT_EQ(done(), "DATA 3-6 [512]");
  for (int i = 0; i < 3; ++i) {
    ack(2);
    EXPECT_EQ(done(), "");  // once
    clock_.advance(10ms);
  }
  EXPECT_EQ(session_->progress().resent, 2u);
}

TEST_F(TftpReadSession, AsksASilentDeviceWithOneBlockUntilItsTimeIsOver) {
  begin_read(10'000, {{"windowsize", "4"}, {"timeout", "5"}});
  file_read(10'000);
  clock_.advance(10ms);
  ack(0);
  done();
  std::string told;
  const auto begun = clock_.now();
  while (clock_.now() < begun + 4900ms) {
    wait(100ms);
    told += done() + ";";
  }
  std::erase(told, ' ');
  while (told.find(";;") != std::string::npos) told.erase(told.find(";;"), 1);
  EXPECT_EQ(told, ";DATA1[512];DATA4[512];");
  wait(200ms);
  EXPECT_EQ(done(), "DATA 1-4 [512]");
  // It has the first window and wrote it to its flash: the answer tells where to go on.
  ack(4);
  EXPECT_EQ(done(), "DATA 5-8 [512]");
}

TEST_F(TftpReadSession, GoesOnWhereTheAnswerToAProbeSays) {
  begin_read(20'000, {{"windowsize", "8"}});
  file_read(20'000);
  clock_.advance(1ms);
  ack(0);
  done();
  clock_.advance(1ms);
  ack(8);
  EXPECT_EQ(done(), "DATA 9-16 [512]");
  wait(60ms);
  EXPECT_EQ(done(), "DATA 9 [512]");
  ack(16);  // it was its acknowledgement that was lost
  EXPECT_EQ(done(), "DATA 17-24 [512]");
  wait(60ms);
  EXPECT_EQ(done(), "DATA 17 [512]");
  wait(60ms);
  EXPECT_EQ(done(), "DATA 24 [512]");
  ack(16);  // it has nothing of the window
  EXPECT_EQ(done(), "DATA 17-24 [512]");
  ack(16);
  EXPECT_EQ(done(), "");
  ack(24);
  EXPECT_EQ(done(), "DATA 25-32 [512]");
}

TEST_F(TftpReadSession, SlidesForAPeerThatAcknowledgesEachBlock) {
  begin_read(40 * 512, {{"windowsize", "8"}});
  file_read(40 * 512);
  clock_.advance(10ms);
  ack(0);
  for (std::uint16_t block = 1; block <= 20; ++block) {
    clock_.advance(10ms);
    ack(block);
  }
  EXPECT_LE(session_->progress().resent, 8u * 8u);  // until it is understood
  EXPECT_EQ(session_->progress().bytes, 20u * 512);
  // One whose answers come together is known sooner.
  begin_read(40 * 512, {{"windowsize", "8"}});
  file_read(40 * 512);
  clock_.advance(10ms);
  ack(0);
  clock_.advance(10ms);
  for (std::uint16_t block = 1; block <= 20; ++block) ack(block);
  EXPECT_LE(session_->progress().resent, 4u * 8u);
}

TEST_F(TftpReadSession, SpellsAFileInNetascii) {
  const Request request{false, "x", "netascii", {{"tsize", "0"}, {"blksize", "8"}}};
  begin(std::make_unique<ReadSession>(negotiate(request, 10), 10, Patience{}, 1));
  EXPECT_EQ(done(), "OACK blksize=8, read 0+10");  // no tsize: it is not known
  const auto text = base::as_bytes("line\nnext\r");
  step(FileRead{base::ByteBuffer(text.begin(), text.end())});
  ack(0);
  EXPECT_EQ(done(), "DATA 1 [8]");
  ack(1);
  EXPECT_EQ(done(), "DATA 2 [4]");
  ack(2);
  EXPECT_EQ(done(), "complete");
  EXPECT_EQ(session_->progress().bytes, 10u);
}

TEST_F(TftpReadSession, ResendsAtTheIntervalThatTheDeviceAskedFor) {
  begin_read(9, {{"timeout", "20"}});
  EXPECT_EQ(*session_->deadline() - clock_.now(), 20s);
  wait(19s);
  EXPECT_EQ(done(), "OACK timeout=20, read 0+9");
  wait(1s);
  EXPECT_EQ(done(), "OACK timeout=20");
}

TEST_F(TftpReadSession, TakesTheDevicesErrorForItsEnd) {
  begin_read(9);
  file_read(9);
  done();
  datagram(encode(Error{3, "flash is full\x1b[2J"}));
  EXPECT_EQ(done(),
            "abandoned: the device ended it with error 3 'flash is full\\x1b[2J'");
}

TEST_F(TftpReadSession, TellsTheDeviceWhenTheDiskFails) {
  begin_read(9);
  done();
  step(FileFailed{{base::Kind::kIo, "the stored file can't be read"}});
  EXPECT_EQ(done(),
            "ERROR 0 the stored file can't be read, "
            "failed: the stored file can't be read");
}

TEST_F(TftpReadSession, IgnoresWhatIsNoPacketOfItsKind) {
  begin_read(2000);
  file_read(2000);
  done();
  datagram({});
  datagram({0, 9, 1});
  datagram({0, 4, 0});
  data(1, 5);
  datagram(encode(OptionAck{}));
  EXPECT_EQ(done(), "");
  ack(1);
  EXPECT_EQ(done(), "DATA 2 [512]");
}

TEST_F(TftpWriteSession, AcknowledgesTheLastBlockOnlyWhenItIsDurable) {
  begin_write();
  EXPECT_EQ(done(), "ACK 0");
  data(1, 512);
  EXPECT_EQ(done(), "ACK 1");
  data(2, 10);
  EXPECT_EQ(done(), "write 522, commit");
  data(2, 10);
  step(FileWritten{});
  EXPECT_EQ(session_->deadline(), std::nullopt);
  EXPECT_EQ(done(), "");
  step(FileCommitted{});
  EXPECT_EQ(done(), "ACK 2, complete");
  EXPECT_FALSE(session_->done());
}

TEST_F(TftpWriteSession, StaysForALostLastAcknowledgement) {
  begin_write();
  data(1, 0);
  step(FileCommitted{});
  EXPECT_EQ(done(), "ACK 0, commit, ACK 1, complete");
  clock_.advance(5s);
  data(1, 0);
  EXPECT_EQ(done(), "ACK 1");
  data(7, 0);
  EXPECT_EQ(done(), "");
  wait(5s);
  EXPECT_TRUE(session_->done());
}

TEST_F(TftpWriteSession, AcknowledgesARepeatedBlockAgainButTakesItOnce) {
  begin_write();
  data(1, 512);
  data(1, 512);
  data(0, 512);
  data(3, 512);
  EXPECT_EQ(done(), "ACK 0, ACK 1, ACK 1");
  EXPECT_EQ(session_->progress().bytes, 512u);
}

TEST_F(TftpWriteSession, HoldsTheAcknowledgementBackWhileTheDiskIsBehind) {
  begin_write({{"blksize", "32768"}});
  data(1, 32768);
  EXPECT_EQ(done(), "OACK blksize=32768, write 32768, ACK 1");
  data(2, 32768);
  EXPECT_EQ(done(), "");
  data(2, 32768);  // the device asks again; the answer is still owed
  EXPECT_EQ(done(), "");
  step(FileWritten{});
  EXPECT_EQ(done(), "write 32768, ACK 2");
}

TEST_F(TftpWriteSession, NeverSaysCompleteWhenTheCommitFails) {
  begin_write();
  data(1, 10);
  done();
  step(FileFailed{{base::Kind::kFull, "the server's disk is full"}});
  EXPECT_EQ(done(),
            "ERROR 3 the server's disk is full, failed: the server's disk is full");
  EXPECT_TRUE(session_->done());
}

TEST_F(TftpWriteSession, RefusesABlockLargerThanAgreed) {
  begin_write();
  data(1, 513);
  EXPECT_EQ(done(),
            "ACK 0, ERROR 4 a block of 513 bytes arrived; 512 were agreed, "
            "failed: the device sent a block larger than agreed");
}

TEST_F(TftpWriteSession, GivesUpOnASilentDevice) {
  begin_write();
  done();
  while (!session_->done()) {
    clock_.move_to(*session_->deadline());
    step(DeadlinePassed{});
  }
  EXPECT_EQ(done(),
            "ACK 0, ACK 0, ACK 0, ACK 0, abandoned: answered 5 times without a reply: "
            "look for a firewall or a wrong route between the server and the "
            "device");
}

TEST_F(TftpWriteSession, AcknowledgesAWindowAtItsEnd) {
  begin_write({{"windowsize", "3"}});
  data(1, 512);
  data(2, 512);
  EXPECT_EQ(done(), "OACK windowsize=3");
  data(3, 512);
  EXPECT_EQ(done(), "ACK 3");
}

TEST_F(TftpWriteSession, TellsAGapOnce) {
  begin_write({{"windowsize", "4"}});
  data(1, 512);
  data(3, 512);
  data(4, 512);
  EXPECT_EQ(done(), "OACK windowsize=4, ACK 1");
  data(2, 512);
  data(4, 512);
  EXPECT_EQ(done(), "ACK 2");
}

TEST_F(TftpWriteSession, AcknowledgesAWindowThatStaysShort) {
  begin_write({{"windowsize", "8"}});
  clock_.advance(10ms);
  data(1, 512);
  EXPECT_EQ(done(), "OACK windowsize=8");
  wait(*session_->deadline() - clock_.now());
  EXPECT_EQ(done(), "ACK 1");
}

TEST_F(TftpWriteSession, TakesAnEarlyEndOnlyWhenTheDeviceInsists) {
  begin_write({{"tsize", "900"}});
  data(1, 100);
  data(1, 100);
  EXPECT_EQ(done(), "OACK tsize=900");
  data(1, 100);
  EXPECT_EQ(done(), "write 100, commit");
}

TEST_F(TftpWriteSession, TakesABlockThatHadBeenCutShort) {
  begin_write({{"tsize", "900"}});
  data(1, 100);
  data(1, 512);
  data(2, 388);
  EXPECT_EQ(done(), "OACK tsize=900, ACK 1, write 900, commit");
}

TEST_F(TftpWriteSession, ReadsNetasciiAcrossBlocks) {
  const Request request{true, "x", "netascii", {{"blksize", "8"}}};
  begin(std::make_unique<WriteSession>(negotiate(request, {}), Patience{}, 1));
  auto first = encode_data_head(1);
  for (const char c : std::string("abcdefg\r"))
    first.push_back(static_cast<std::uint8_t>(c));
  datagram(first);
  auto second = encode_data_head(2);
  second.push_back('\n');
  datagram(second);
  EXPECT_EQ(done(), "OACK blksize=8, ACK 1, write 8, commit");
  EXPECT_EQ(session_->progress().bytes, 8u);
}

TEST_F(TftpWriteSession, LetsARunningCommitFinishWhenTheServerStops) {
  begin_write();
  data(1, 10);
  done();
  step(Stop{"the server is being stopped"});
  EXPECT_EQ(done(), "");
  step(FileCommitted{});
  EXPECT_EQ(done(), "ACK 1, complete");
  step(Stop{"the server is being stopped"});
  EXPECT_TRUE(session_->done());
}

TEST_F(TftpWriteSession, TellsTheDeviceWhenTheServerStops) {
  begin_write();
  data(1, 512);
  done();
  step(Stop{"the server is being stopped"});
  EXPECT_EQ(done(),
            "ERROR 0 the server is being stopped, write 512, failed: the server is being "
            "stopped");
}

}  // namespace
}  // namespace vantro::wire::tftp
