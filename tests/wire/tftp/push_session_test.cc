// The sender of a push against the project's receiver, over a network that loses, doubles
// and reorders, and against devices with habits of their own.
#include "wire/tftp/push_session.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <map>
#include <random>

#include "tests/fakes/scratch_folder.h"
#include "wire/tftp/write_session.h"

namespace vantro::wire::tftp {
namespace {

using namespace std::chrono_literals;

// What was sent: "WRQ x octet tsize=5", "DATA 1 [512]".
std::vector<std::string> texts(const Actions& actions) {
  std::vector<std::string> all;
  for (const auto& action : actions) {
    if (const auto* send = std::get_if<Send>(&action)) {
      all.push_back(describe(*parse(send->packet)));
    } else if (const auto* blocks = std::get_if<SendBlocks>(&action)) {
      all.push_back(fmt::format("DATA {} x {}", blocks->first, blocks->count));
    } else if (const auto* ended = std::get_if<Ended>(&action)) {
      all.push_back("ended: " + ended->why);
    }
  }
  return all;
}

class Push : public testing::Test {
 protected:
  std::vector<std::string> step(Event event) {
    actions_.clear();
    session_->step(std::move(event), now_, actions_);
    return texts(actions_);
  }
  std::vector<std::string> begin(PushWanted wanted) {
    session_ = std::make_unique<PushSession>(std::move(wanted), Patience{}, 1);
    return step(Begin{});
  }
  std::vector<std::string> gets(const base::ByteBuffer& packet) {
    return step(Datagram{packet});
  }
  std::vector<std::string> waits() {
    now_ = *session_->deadline();
    return step(DeadlinePassed{});
  }

  std::unique_ptr<PushSession> session_;
  Actions actions_;
  base::Instant now_{};
};

using Texts = std::vector<std::string>;

TEST_F(Push, AsksWithOptionsAndEveryFourthTimeWithout) {
  EXPECT_EQ(begin({"boot.img", 2000, 1428, 4, 10min}),
            Texts{"WRQ boot.img octet tsize=2000 blksize=1428 windowsize=4"});
  waits();
  waits();
  EXPECT_EQ(waits(), Texts{"WRQ boot.img octet"});
  EXPECT_EQ(waits(), Texts{"WRQ boot.img octet tsize=2000 blksize=1428 windowsize=4"});
}

TEST_F(Push, GivesUpWhenTheWaitIsOver) {
  begin({"boot.img", 2000, 512, 1, 1s});
  Texts last;
  for (int i = 0; i < 4; ++i) last = waits();
  EXPECT_EQ(last, Texts{"ended: the device did not listen within 1.0 s"});
  EXPECT_TRUE(session_->done());
  EXPECT_FALSE(session_->deadline());
}

TEST_F(Push, AnAcknowledgementOfNothingMeansWithoutOptions) {
  begin({"boot.img", 700, 1428, 4, 10min});
  gets(encode(Ack{0}));
  EXPECT_TRUE(session_->sending());
  EXPECT_EQ(session_->terms_text(), "blocks of 512 bytes");
  EXPECT_EQ(step(FileRead{base::ByteBuffer(700, 1)}), Texts{"DATA 1 x 1"});
}

TEST_F(Push, TakesWhatTheDeviceAgreesTo) {
  begin({"boot.img", 5000, 1428, 4, 10min});
  gets(encode(OptionAck{{{"blksize", "1024"}, {"windowsize", "2"}, {"tsize", "5000"}}}));
  EXPECT_EQ(session_->terms_text(), "blocks of 1024 bytes, 2 for each acknowledgement");
  EXPECT_EQ(step(FileRead{base::ByteBuffer(5000, 1)}), Texts{"DATA 1 x 2"});
}

TEST_F(Push, RefusesAnAnswerThatMakesNoSense) {
  for (const auto& [name, value, why] :
       {std::tuple("blksize", "9000", "blksize 9000, asked for 1428"),
        std::tuple("blksize", "x", "blksize x, asked for 1428"),
        std::tuple("windowsize", "0", "windowsize 0, asked for 4"),
        std::tuple("timeout", "3", "option 'timeout', which was not asked for")}) {
    begin({"boot.img", 5000, 1428, 4, 10min});
    EXPECT_EQ(gets(encode(OptionAck{{{name, value}}})),
              (Texts{fmt::format("ERROR 8 {}", why),
                     fmt::format("ended: the device's answer is wrong: {}", why)}));
  }
}

TEST_F(Push, OneThatRefusesOptionsIsAskedWithoutThemAtOnce) {
  for (const std::uint16_t code : {0, 4, 8}) {
    begin({"boot.img", 5000, 1428, 4, 10min});
    EXPECT_EQ(gets(encode(Error{code, "no options"})), Texts{"WRQ boot.img octet"});
    EXPECT_EQ(waits(), Texts{"WRQ boot.img octet"});
  }
  EXPECT_EQ(gets(encode(Error{8, "late"})), Texts{});
  EXPECT_EQ(gets(encode(Error{0, "still no"})),
            Texts{"ended: the device refused it with error 0 'still no'"});
}

TEST_F(Push, ARefusalOfTheFileEndsIt) {
  begin({"boot.img", 5000, 1428, 4, 10min});
  EXPECT_EQ(gets(encode(Error{3, "flash is full"})),
            Texts{"ended: the device refused it with error 3 'flash is full'"});
}

TEST_F(Push, WhatIsNoAnswerIsIgnored) {
  begin({"boot.img", 5000, 1428, 4, 10min});
  EXPECT_EQ(gets(encode(Ack{3})), Texts{});
  EXPECT_EQ(gets({1, 2, 3}), Texts{});
  EXPECT_FALSE(session_->done());
  EXPECT_EQ(step(Stop{"the server is being stopped"}),
            Texts{"ended: the server is being stopped"});
}

// A device that begins to listen at some time, and what it has received.
class Pushed {
 public:
  Pushed(std::string file, PushWanted wanted, unsigned loss_per_mille, unsigned seed)
      : file_(std::move(file)), loss_(loss_per_mille), random_(seed) {
    wanted.size = file_.size();
    push_ = std::make_unique<PushSession>(std::move(wanted), Patience{}, seed);
    listens_at_ = now_ + base::Duration(random_() % 5'000'000'000);
  }

  void run() {
    feed(*push_, Begin{});
    while (!push_->done() || (device_ && !device_->done())) {
      std::optional<base::Instant> due;
      for (Session* one :
           {static_cast<Session*>(push_.get()), static_cast<Session*>(device_.get())}) {
        if (one == nullptr || one->done()) continue;
        const auto at = one->deadline();
        if (at && (!due || *at < *due)) due = at;
      }
      if (!queue_.empty() && (!due || queue_.begin()->first <= *due)) {
        const auto work = std::move(queue_.begin()->second);
        now_ = queue_.begin()->first;
        queue_.erase(queue_.begin());
        work();
        continue;
      }
      ASSERT_TRUE(due) << "nobody waits for anything";
      now_ = *due;
      ASSERT_LT(now_, base::Instant{} + 2h);
      if (!push_->done()) feed(*push_, DeadlinePassed{});
      if (device_ && !device_->done()) feed(*device_, DeadlinePassed{});
    }
  }

  bool complete() const { return complete_; }
  bool committed() const { return committed_; }
  const std::string& received() const { return received_; }
  const std::string& why() const { return why_; }

 private:
  void carry(base::ByteBuffer bytes, bool to_device) {
    for (int i = 0; i < (random_() % 16 == 0 ? 2 : 1); ++i) {
      if (random_() % 1000 < loss_) continue;
      queue_.emplace(now_ + base::Duration(random_() % 20'000'000),
                     [this, bytes, to_device] {
                       to_device ? device_gets(bytes) : push_gets(bytes);
                     });
    }
  }
  void push_gets(const base::ByteBuffer& bytes) {
    if (!push_->done()) feed(*push_, Datagram{bytes});
  }
  void device_gets(const base::ByteBuffer& bytes) {
    if (now_ < listens_at_) return;
    const auto packet = parse(bytes);
    const auto* request = packet ? std::get_if<Request>(&*packet) : nullptr;
    if (request != nullptr) {
      // The same request again is answered by what runs; a plain one takes over from one
      // with options only where nothing has come yet.
      if (device_) return;
      terms_ = negotiate(*request, std::nullopt);
      device_ = std::make_unique<WriteSession>(terms_, Patience{}, 3);
      feed(*device_, Begin{});
    } else if (device_ && !device_->done()) {
      feed(*device_, Datagram{bytes});
    }
  }
  void feed(Session& session, Event event) {
    Actions actions;
    session.step(std::move(event), now_, actions);
    const bool is_push = &session == push_.get();
    for (auto& action : actions) {
      if (auto* send = std::get_if<Send>(&action)) {
        carry(send->packet, is_push);
      } else if (auto* blocks = std::get_if<SendBlocks>(&action)) {
        for (std::size_t i = 0; i < blocks->count; ++i) {
          auto packet = encode_data_head(static_cast<std::uint16_t>(blocks->first + i));
          const auto at = std::min(i * blocks->block_size, blocks->bytes.size());
          const auto part = blocks->bytes.subspan(
              at, std::min(blocks->block_size, blocks->bytes.size() - at));
          packet.insert(packet.end(), part.begin(), part.end());
          carry(std::move(packet), true);
        }
      } else if (auto* read = std::get_if<ReadFile>(&action)) {
        const auto part = file_.substr(read->offset, read->count);
        later(session, FileRead{{part.begin(), part.end()}});
      } else if (auto* write = std::get_if<WriteFile>(&action)) {
        received_.append(write->bytes.begin(), write->bytes.end());
        later(session, FileWritten{});
      } else if (std::holds_alternative<CommitFile>(action)) {
        committed_ = true;
        later(session, FileCommitted{});
      } else if (auto* ended = std::get_if<Ended>(&action)) {
        if (is_push) {
          complete_ = ended->how == Ended::How::kComplete;
          why_ = ended->why;
        }
      }
    }
  }
  void later(Session& session, Event event) {
    auto shared = std::make_shared<Event>(std::move(event));
    queue_.emplace(now_ + 1ms, [this, &session, shared] {
      if (!session.done()) feed(session, std::move(*shared));
    });
  }

  std::string file_;
  unsigned loss_;
  std::mt19937 random_;
  base::Instant now_{};
  base::Instant listens_at_{};
  std::multimap<base::Instant, std::function<void()>> queue_;
  std::unique_ptr<PushSession> push_;
  std::unique_ptr<WriteSession> device_;
  Terms terms_;
  std::string received_, why_;
  bool complete_ = false, committed_ = false;
};

TEST(PushOverANetwork, ArrivesWholeWhateverIsLost) {
  for (unsigned seed = 1; seed <= 300; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const auto file = fakes::noise(seed * 97 % 9000, seed);
    const std::size_t window = seed % 3 == 0 ? 8 : 1;
    Pushed push(file, {"boot.img", 0, 512, window, 1min}, seed % 5 * 50, seed);
    push.run();
    if (testing::Test::HasFatalFailure()) return;
    // What is called complete is complete; and short of heavy losses all are.
    if (push.complete()) {
      EXPECT_TRUE(push.committed());
      EXPECT_TRUE(fakes::same_bytes(push.received(), file));
    }
    if (seed % 5 < 3) {
      EXPECT_TRUE(push.complete()) << push.why();
    }
    if (testing::Test::HasFailure()) return;
  }
}

}  // namespace
}  // namespace vantro::wire::tftp
