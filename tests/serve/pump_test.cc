// wire + pump + gate + store in one piece, without a socket.
#include "serve/tftp/pump.h"

#include <deque>

#include "tests/fakes/repository_fixture.h"
#include "wire/tftp/packet.h"
#include "wire/tftp/read_session.h"
#include "wire/tftp/write_session.h"

namespace vantro::serve::tftp {
namespace {

namespace wire = vantro::wire::tftp;

// Work runs when the test says so, in its order.
class QueuedWorkers final : public Workers {
 public:
  void on_disk(std::function<void()> work) override { work_.push_back(std::move(work)); }
  void on_filing(std::function<void()> work) override { on_disk(std::move(work)); }
  void on_io(std::function<void()> work) override { work_.push_back(std::move(work)); }
  void run_all() {
    while (!work_.empty()) {
      auto work = std::move(work_.front());
      work_.pop_front();
      work();
    }
  }

 private:
  std::deque<std::function<void()>> work_;
};

class RecordingTransport final : public Transport {
 public:
  void send(base::ByteView datagram) override {
    last_text_ = wire::describe(*wire::parse(datagram));
  }
  void send(const wire::SendBlocks& blocks) override {
    auto bytes = wire::encode_data_head(static_cast<std::uint16_t>(blocks.first));
    bytes.insert(bytes.end(), blocks.bytes.begin(), blocks.bytes.end());
    last_text_ = wire::describe(*wire::parse(bytes));
  }
  // Of the last datagram, once.
  std::string said() { return std::exchange(last_text_, ""); }

 private:
  std::string last_text_;
};

class PumpTest : public fakes::RepositoryFixture {
 protected:
  void TearDown() override {
    pump_.reset();
    workers_->run_all();
  }
  void start(std::unique_ptr<wire::Session> session, std::shared_ptr<FileEnd> file) {
    pump_ = std::make_shared<Pump>(std::move(session), std::move(file), transport_,
                                   workers_, clock_);
    pump_->begin();
    workers_->run_all();
  }
  void start_write() {
    auto grant = open_write(device("192.0.2.7"), "x.cfg", {});
    start(std::make_unique<wire::WriteSession>(wire::Terms{}, wire::Patience{}, 1),
          file_end(std::move(*grant)));
  }
  void start_read() {
    auto grant = open_read(device("192.0.2.7"), "x.img");
    const auto size = grant->size();
    start(std::make_unique<wire::ReadSession>(wire::Terms{}, size, wire::Patience{}, 1),
          file_end(std::move(*grant)));
  }
  void data(std::uint16_t block, const std::string& bytes) {
    auto packet = wire::encode_data_head(block);
    packet.insert(packet.end(), bytes.begin(), bytes.end());
    pump_->datagram(packet);
  }
  void ack(std::uint16_t block) { pump_->datagram(wire::encode(wire::Ack{block})); }
  ledger::Entry last_entry() { return repository_->ledger.newest(1, {})->front(); }

  RecordingTransport transport_;
  std::shared_ptr<QueuedWorkers> workers_ = std::make_shared<QueuedWorkers>();
  std::shared_ptr<Pump> pump_;
};

TEST_F(PumpTest, FilesAnUploadBeforeItsLastAcknowledgement) {
  start_write();
  EXPECT_EQ(transport_.said(), "ACK 0");
  data(1, "config");
  EXPECT_EQ(transport_.said(), "");
  EXPECT_TRUE(repository_->backups.revisions()->empty());
  workers_->run_all();
  EXPECT_EQ(transport_.said(), "ACK 1");
  EXPECT_EQ(repository_->backups.revisions()->size(), 1u);
  EXPECT_TRUE(pump_->ended());
  EXPECT_FALSE(pump_->done());  // it stays for a lost acknowledgement
  EXPECT_EQ(last_entry().outcome, "complete");
}

TEST_F(PumpTest, ReadsAnImageToItsEnd) {
  ASSERT_TRUE(take_in("x.img", std::string(700, 'x')));
  start_read();
  EXPECT_EQ(transport_.said(), "DATA 1 [512]");
  ack(1);
  EXPECT_EQ(transport_.said(), "DATA 2 [188]");
  ack(2);
  workers_->run_all();
  EXPECT_TRUE(pump_->done());
  EXPECT_EQ(last_entry().outcome, "complete");
  EXPECT_EQ(last_entry().bytes, 700u);
}

TEST_F(PumpTest, RecordsATransferThatTheDeviceBeganAnew) {
  ASSERT_TRUE(take_in("x.img", std::string(700, 'x')));
  start_read();
  pump_->superseded();
  workers_->run_all();
  EXPECT_TRUE(pump_->done());
  EXPECT_EQ(last_entry().sentence, "the device began again with another request");
}

TEST_F(PumpTest, TellsTheDeviceWhyAnUploadFails) {
  config_.largest_deposit = 10;
  close();
  open();
  start_write();
  data(1, "longer than ten bytes");
  workers_->run_all();
  EXPECT_EQ(transport_.said(), "ERROR 3 backups larger than 10 B are not accepted");
  EXPECT_EQ(last_entry().outcome, "failed");
  EXPECT_TRUE(repository_->backups.revisions()->empty());
}

TEST_F(PumpTest, KeepsWhatCameWhenItIsDroppedInTheMiddle) {
  start_write();
  for (std::uint16_t block = 1; block <= 64; ++block) data(block, std::string(512, 'c'));
  workers_->run_all();
  pump_.reset();
  workers_->run_all();
  const auto revisions = repository_->backups.revisions();
  ASSERT_EQ(revisions->size(), 1u);
  EXPECT_FALSE(revisions->front().complete);
  EXPECT_EQ(revisions->front().size, 32768u);
}

}  // namespace
}  // namespace vantro::serve::tftp
