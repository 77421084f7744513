#include "desk/notices.h"

#include <algorithm>
#include <set>

#include "desk/devices.h"
#include "mirror/headquarters.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::desk {
namespace {

class NoticesTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    receivers_.resize(2);
    receivers_[0].name = "all";
    receivers_[1].name = "some";
    receivers_[1].way = NoticeWay::kSyslog;
    receivers_[1].events = {"disk-low"};
    begin();
  }
  void TearDown() override {
    notices_.reset();
    watched_.reset();
  }
  void begin() {
    notices_.reset();
    watched_.reset();
    watched_ = std::make_unique<Watched>(
        *repository_, *gate_,
        WatchedOutside{[&] { return certificates_; }, [&] { return reserve_; }});
    notices_ = std::make_unique<Notices>(
        *repository_, *watched_, [&] { return receivers_; },
        [&](const NoticeReceiver& receiver,
            const Notice& notice) -> base::Outcome<std::string> {
          if (silent_.contains(receiver.name)) {
            return base::refuse(base::Kind::kIo, "nobody answers");
          }
          sent_.push_back(receiver.name + ": " + notice.event +
                          (notice.subject.empty() ? "" : " " + notice.subject) +
                          (notice.over ? " over" : ""));
          return std::string("taken");
        });
  }
  // What was sent by one look, of backups as well.
  std::vector<std::string> look() {
    sent_.clear();
    clock_.advance(Watched::kLooksAtBackupsEvery);
    notices_->look();
    notices_->deliver();
    return sent_;
  }
  using Sent = std::vector<std::string>;

  std::vector<NoticeReceiver> receivers_;
  std::map<std::string, std::string> certificates_;
  std::uint64_t reserve_ = 0;
  std::set<std::string> silent_;
  Sent sent_;
  std::unique_ptr<Watched> watched_;
  std::unique_ptr<Notices> notices_;
};

TEST_F(NoticesTest, TellOnceWhenItBeginsAndOnceWhenItIsOver) {
  EXPECT_EQ(look(), Sent());
  reserve_ = UINT64_MAX;  // more than any disk has
  EXPECT_EQ(look(), (Sent{"all: disk-low", "some: disk-low"}));
  EXPECT_EQ(look(), Sent());
  EXPECT_EQ(notices_->standing()->size(), 1u);
  // Another start of the server knows what was told.
  begin();
  EXPECT_EQ(look(), Sent());
  reserve_ = 0;
  EXPECT_EQ(look(), (Sent{"all: disk-low over", "some: disk-low over"}));
  EXPECT_EQ(look(), Sent());
  EXPECT_TRUE(notices_->standing()->empty());
}

// A mirror is written down with each of its questions.
TEST_F(NoticesTest, TellOfAMirrorThatIsSilentUntilItAsksAgain) {
  mirror::Headquarters headquarters(*repository_);
  const auto ask = [&](const char* name) {
    ASSERT_TRUE(headquarters.answer(name, "192.0.2.99", {}));
  };
  ask("heron");
  ask("sedge");
  EXPECT_EQ(look(), Sent());
  clock_.advance(Watched::kMirrorSilentFor);
  ask("sedge");
  EXPECT_EQ(look(), Sent{"all: mirror-silent heron"});
  EXPECT_EQ(notices_->standing()->begin()->second.sentence.substr(0, 38),
            "the mirror 'heron' has not asked since");
  EXPECT_EQ(look(), Sent());
  ask("heron");
  ask("sedge");
  EXPECT_EQ(look(), Sent{"all: mirror-silent heron over"});
}

TEST_F(NoticesTest, WaitForAReceiverThatIsAwayInTheirOrder) {
  silent_ = {"all"};
  certificates_ = {{"HTTPS", "it expires"}};
  EXPECT_EQ(look(), Sent());
  reserve_ = UINT64_MAX;
  EXPECT_EQ(look(), Sent{"some: disk-low"});
  const auto states = *notices_->receivers();
  EXPECT_EQ(states[0].waiting, 2u);
  EXPECT_EQ(states[0].failure, "nobody answers");
  EXPECT_EQ(states[1].sent, 1u);
  // Across a restart; and not at once, but after a pause.
  begin();
  silent_.clear();
  sent_.clear();
  notices_->deliver();
  EXPECT_EQ(sent_, Sent());
  EXPECT_EQ(look(), (Sent{"all: certificate-expiring HTTPS", "all: disk-low"}));
  EXPECT_EQ((*notices_->receivers())[0].waiting, 0u);
}

TEST_F(NoticesTest, TellOfTransfersThatFailUntilTheSameSucceeds) {
  ASSERT_TRUE(take_in("x.img", "image"));
  look();
  auto grant = open_read(device("192.0.2.7"), "x.img");
  ASSERT_TRUE(grant);
  grant->transfer().end(gate::State::kFailed, "the disk failed");
  ASSERT_TRUE(repository_->ledger.flush());
  EXPECT_EQ(look(), Sent{"all: transfer-failed 192.0.2.7 x.img"});
  EXPECT_EQ(look(), Sent());
  EXPECT_EQ(fetch("x.img"), "image");
  ASSERT_TRUE(repository_->ledger.flush());
  EXPECT_EQ(look(), Sent{"all: transfer-failed 192.0.2.7 x.img over"});
}

TEST_F(NoticesTest, TellOfATransferThatStandsStill) {
  ASSERT_TRUE(take_in("x.img", "image"));
  auto grant = open_read(device("192.0.2.7"), "x.img");
  ASSERT_TRUE(grant);
  grant->transfer().advance({1, 3, 3});
  notices_->look();
  notices_->deliver();
  EXPECT_EQ(sent_, Sent());
  EXPECT_EQ(look(), Sent{"all: transfer-stalled 192.0.2.7 x.img"});
  grant->transfer().advance({4, 3, 0});
  EXPECT_EQ(look(), Sent{"all: transfer-stalled 192.0.2.7 x.img over"});
  grant->transfer().end(gate::State::kComplete, "");
}

TEST_F(NoticesTest, TellOfDamageAndOfContradiction) {
  const auto sha256 = take_in("x.img", "image")->image.digests.sha256;
  look();
  const auto stored = repository_->folder.open_as_it_lies(sha256);
  ASSERT_TRUE(stored);
  ASSERT_TRUE(*repository_->contents.lost(sha256, *stored, "it differs"));
  EXPECT_EQ(look(), Sent{"all: damage-found " + sha256.substr(0, 16)});
  ASSERT_TRUE(take_in("x.img", "image"));
  EXPECT_EQ(look(), Sent{"all: damage-found " + sha256.substr(0, 16) + " over"});
}

TEST_F(NoticesTest, TellOfADeviceThatAsksForAnothersImage) {
  gate::IntakeOptions options;
  options.name = "x.img";
  options.facts["platform"] = "causeway4";
  ASSERT_TRUE(take_in(std::move(options), "image"));
  ASSERT_TRUE(
      Devices(*repository_, operator_)
          .add("osier-sw", {{"addresses", "192.0.2.7"}, {"platform", "lattice24"}}));
  look();
  EXPECT_TRUE(fetch("x.img").starts_with("refused: 'x.img' is refused"));
  EXPECT_EQ(look(), Sent{"all: wrong-platform osier-sw"});
  EXPECT_EQ(look(), Sent());
  clock_.advance(std::chrono::hours(25));
  EXPECT_EQ(look(), Sent{"all: wrong-platform osier-sw over"});
}

TEST_F(NoticesTest, TellOfBackupsThatDoNotComeOrAreTooSmall) {
  ASSERT_TRUE(Devices(*repository_, operator_)
                  .add("pump", {{"addresses", "192.0.2.7"}, {"backup_every", "daily"}}));
  look();
  clock_.advance(std::chrono::hours(49));
  EXPECT_EQ(look(), Sent{"all: backup-missing pump"});
  ASSERT_TRUE(deposit("192.0.2.7", "pump.cfg", std::string(4000, 'a')));
  EXPECT_EQ(look(), Sent{"all: backup-missing pump over"});
  clock_.advance(std::chrono::hours(49));
  EXPECT_EQ(look(), Sent{"all: backup-overdue pump"});
  ASSERT_TRUE(deposit("192.0.2.7", "pump.cfg", std::string(100, 'b')));
  EXPECT_EQ(look(), (Sent{"all: backup-shrunken pump pump.cfg",
                          "all: backup-overdue pump over"}));
  ASSERT_TRUE(deposit("192.0.2.7", "pump.cfg", std::string(4000, 'c')));
  EXPECT_EQ(look(), Sent{"all: backup-shrunken pump pump.cfg over"});
}

// They come all the same, from memory.
TEST_F(NoticesTest, TellThatNothingCanBeWritten) {
  look();
  const auto rename = [&](const char* from, const char* to) {
    return repository_->database->write([&](db::Transaction& t) -> base::Outcome<void> {
      t.run(std::string("alter table ") + from + " rename to " + to);
      return {};
    });
  };
  ASSERT_TRUE(rename("ledger", "elsewhere"));
  repository_->record_event("server-start", "server", "");
  EXPECT_FALSE(repository_->ledger.flush());
  EXPECT_EQ(look(), (Sent{"all: database-failing", "all: ledger-behind"}));
  ASSERT_TRUE(rename("elsewhere", "ledger"));
  ASSERT_TRUE(repository_->ledger.flush());
  EXPECT_EQ(look(), (Sent{"all: database-failing over", "all: ledger-behind over"}));
  // Nothing can be written at all: what there is to tell is kept in memory, once.
  ASSERT_TRUE(rename("notices_waiting", "nowhere"));
  reserve_ = UINT64_MAX;
  const auto first = look();
  EXPECT_NE(std::find(first.begin(), first.end(), "all: disk-low"), first.end());
  const auto second = look();
  EXPECT_EQ(std::find(second.begin(), second.end(), "all: disk-low"), second.end());
  ASSERT_TRUE(rename("nowhere", "notices_waiting"));
  reserve_ = 0;
  const auto last = look();
  EXPECT_NE(std::find(last.begin(), last.end(), "all: disk-low over"), last.end());
}

TEST_F(NoticesTest, TellOfManyRefusals) {
  look();
  for (int i = 0; i < 250; ++i) {
    fetch("nothing.img");
    clock_.advance(std::chrono::milliseconds(500));
  }
  EXPECT_EQ(look(), Sent{"all: many-refusals"});
  clock_.advance(std::chrono::minutes(6));
  EXPECT_EQ(look(), Sent{"all: many-refusals over"});
}

TEST_F(NoticesTest, AreTestedPastTheQueue) {
  const auto one = notices_->test("some", "night-desk");
  ASSERT_TRUE(one);
  ASSERT_EQ(one->size(), 1u);
  EXPECT_TRUE((*one)[0].second);
  EXPECT_EQ(sent_, Sent{"some: test some"});
  const auto unknown = notices_->test("none", "night-desk");
  ASSERT_FALSE(unknown);
  EXPECT_EQ(unknown.error().sentence, "unknown receiver 'none'; there are all, some");
}

// Of several nodes each tells of itself, and one of them sends.
TEST_F(NoticesTest, OfSeveralNodesOneSendsWhatAllOfThemTell) {
  ASSERT_TRUE(repository_->nodes.enter({"weir", "run 1", "host", "1"}));
  repository::Nodes other(*repository_->database, clock_);
  ASSERT_TRUE(other.enter({"lock", "run 2", "host", "1"}));
  ASSERT_TRUE(other.take(repository::work::kNotices));
  reserve_ = UINT64_MAX;
  EXPECT_EQ(look(), Sent());
  EXPECT_EQ(notices_->standing()->begin()->first.second, "on weir");
  EXPECT_EQ(look(), Sent());
  // The other one stops, with something wrong that it has told.
  const auto told =
      repository_->database->write([&](db::Transaction& t) -> base::Outcome<void> {
        t.run(
            "insert into notice_conditions (event, subject, since, sentence, node) "
            "values ('certificate-expiring', 'HTTPS on lock', 1, 'soon', 'lock')");
        return {};
      });
  ASSERT_TRUE(told);
  ASSERT_TRUE(other.leave());
  EXPECT_EQ(look(),
            (Sent{"all: disk-low on weir", "all: certificate-expiring HTTPS on lock over",
                  "some: disk-low on weir"}));
  reserve_ = 0;
  EXPECT_EQ(look(), (Sent{"all: disk-low on weir over", "some: disk-low on weir over"}));
  // It comes back, and is gone without a word.
  repository::Nodes again(*repository_->database, clock_);
  ASSERT_TRUE(again.enter({"lock", "run 3", "host", "1"}));
  const auto silent = repository_->database->aside(
      [](db::Transaction& t, base::WallTime) -> base::Outcome<void> {
        t.run("update nodes set seen_at = seen_at - 60000 where name = 'lock'");
        return {};
      });
  ASSERT_TRUE(silent);
  EXPECT_EQ(look(), Sent{"all: node-gone lock"});
  ASSERT_TRUE(again.beat());
  EXPECT_EQ(look(), Sent{"all: node-gone lock over"});
}

}  // namespace
}  // namespace vantro::desk
