// Bytes from a connection into a grant: all of them, in order, and told about.
#include "serve/upload_feed.h"

#include <cstring>
#include <gtest/gtest.h>

#include "net/event_loop.h"
#include "net/work_pool.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::serve {
namespace {

class UploadFeedTest : public fakes::RepositoryFixture {
 protected:
  void TearDown() override {
    disk_.join();
    slow_.join();
    feed_.reset();
  }
  // Sends them as a connection does, `at_once` bytes from each read, and commits; or
  // gives up behind `abandon_after` bytes. What became of it, in words.
  std::string send(const std::string& bytes, std::size_t at_once,
                   std::optional<std::size_t> abandon_after = {}) {
    services_.emplace(
        Services{{disk_, clock_, log_, room_}, slow_, slow_, slow_, *gate_});
    auto grant = open_write(device("192.0.2.7"), "site.cfg", {});
    if (!grant) return grant.error().sentence;
    rest_ = std::string_view(bytes).substr(0, abandon_after.value_or(bytes.size()));
    at_once_ = at_once;
    abandons_ = abandon_after.has_value();
    feed_ = std::make_shared<UploadFeed>(*services_, loop_->poster(), std::move(*grant),
                                         [this](const base::Outcome<void>& written) {
                                           ++written_;
                                           if (written) return pump();
                                           outcome_ = written.error().sentence;
                                           feed_->abandon(gate::State::kFailed, outcome_);
                                           loop_->stop();
                                         });
    loop_->post([this] { pump(); });
    loop_->run();
    return outcome_;
  }

  std::shared_ptr<net::EventLoop> loop_ =
      std::make_shared<net::EventLoop>(std::chrono::milliseconds(10));
  net::WorkPool disk_{2, log_};
  net::WorkPool slow_{1, log_};
  net::ConnectionRoom room_{10};
  std::optional<Services> services_;
  std::shared_ptr<UploadFeed> feed_;
  int written_ = 0;

 private:
  void pump() {
    while (!rest_.empty() && !feed_->waits()) {
      const auto room = feed_->room();
      ASSERT_FALSE(room.empty());
      const auto count = std::min({room.size(), rest_.size(), at_once_});
      std::memcpy(room.data(), rest_.data(), count);
      feed_->came(count);
      rest_.remove_prefix(count);
    }
    if (!rest_.empty() || ended_) return;
    ended_ = true;
    if (abandons_) {
      feed_->abandon(gate::State::kAbandoned, "gone");
      outcome_ = "abandoned";
      loop_->stop();
      return;
    }
    feed_->commit([this](const base::Outcome<gate::Filed>& filed) {
      outcome_ = filed ? filed->digests.sha256 : filed.error().sentence;
      loop_->stop();
    });
  }

  std::string_view rest_;
  std::size_t at_once_ = 0;
  bool abandons_ = false;
  bool ended_ = false;
  std::string outcome_;
};

std::string sha256(const std::string& bytes) {
  crypto::Digester digester;
  digester.update(base::as_bytes(bytes));
  return digester.finish().sha256;
}

TEST_F(UploadFeedTest, FilesEveryByteInItsOrder) {
  const auto bytes = fakes::noise(3'000'017, 1);
  EXPECT_EQ(send(bytes, 70'001), sha256(bytes));
  // In pieces, which grow: a small upload takes little memory, a large one few turns.
  EXPECT_GE(written_, 6);
  EXPECT_LE(written_, 12);
}

TEST_F(UploadFeedTest, FilesOneThatIsSmallerThanAPiece) {
  EXPECT_EQ(send("hostname tidegate\n", 5), sha256("hostname tidegate\n"));
}

TEST_F(UploadFeedTest, FilesOneOfNothing) { EXPECT_EQ(send("", 1), sha256("")); }

TEST_F(UploadFeedTest, KeepsWhatCameToItsLastByte) {
  EXPECT_EQ(send(fakes::noise(500'000, 2), 10'000, 123'457), "abandoned");
  disk_.join();
  const auto revision = find_backup("192.0.2.7", "site.cfg", {});
  ASSERT_TRUE(revision) << revision.error().sentence;
  EXPECT_FALSE(revision->complete);
  EXPECT_EQ(revision->size, 123'457u);
  EXPECT_EQ(revision->why, "gone");
  // Nothing is told after it.
  EXPECT_EQ(repository_->folder.list_arriving()->size(), 0u);
}

class LimitedUploadFeed : public UploadFeedTest {
 protected:
  LimitedUploadFeed() { config_.largest_deposit = 200'000; }
};

TEST_F(LimitedUploadFeed, TellsARefusalOnceAndKeepsNothing) {
  EXPECT_EQ(send(fakes::noise(500'000, 2), 10'000),
            "backups larger than 195.3 KiB are not accepted");
  disk_.join();
  EXPECT_EQ(repository_->folder.list_arriving()->size(), 0u);
  EXPECT_EQ(repository_->folder.list_partial()->size(), 0u);
  EXPECT_EQ(*repository_->backups.count(), 0u);
}

}  // namespace
}  // namespace vantro::serve
