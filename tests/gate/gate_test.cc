#include "gate/gate.h"

#include <atomic>
#include <thread>

#include "tests/fakes/repository_fixture.h"

namespace vantro::gate {
namespace {

using namespace std::chrono_literals;

class GateTest : public fakes::RepositoryFixture {
 protected:
  std::string sentence(const base::Outcome<catalog::Added>& added) {
    return added ? "added" : added.error().sentence;
  }
  // "event outcome name: sentence" of each row, oldest first.
  std::vector<std::string> ledger() {
    std::vector<std::string> rows;
    const auto entries = repository_->ledger.newest(100, {});
    for (const auto& e : *entries) {
      rows.insert(rows.begin(), e.event + " " + e.outcome + " " + e.name +
                                    (e.sentence.empty() ? "" : ": " + e.sentence));
    }
    return rows;
  }
};

TEST_F(GateTest, OffersAnImageUnderItsNameFromTheMomentItIsFiled) {
  EXPECT_EQ(fetch("x-1.img"), "refused: 'x-1.img' is not on offer");
  ASSERT_TRUE(take_in("x-1.img", "bytes"));
  EXPECT_EQ(fetch("x-1.img"), "bytes");
  EXPECT_EQ(fetch("/./X-1.IMG"), "bytes");
}

TEST_F(GateTest, NamesTheNearestInARefusal) {
  ASSERT_TRUE(take_in("x-system-1.img", "bytes"));
  EXPECT_EQ(fetch("x-sytsem-1.img"),
            "refused: 'x-sytsem-1.img' is not on offer; nearest: 'x-system-1.img'");
  EXPECT_EQ(fetch("../x-system-1.img"),
            "refused: '../x-system-1.img' contains '..', which is never followed");
}

TEST_F(GateTest, HandsNothingOutThatCantBeRecordedWhereThatIsAskedFor) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  const auto rename = [&](const char* from, const char* to) {
    ASSERT_TRUE(
        repository_->database->write([&](db::Transaction& t) -> base::Outcome<void> {
          t.run(std::string("alter table ") + from + " rename to " + to);
          return {};
        }));
  };
  const auto admitted = [&] {
    return gate_->admit(device("192.0.2.7"), Direction::kFetch, "x.img").has_value();
  };
  rename("ledger", "elsewhere");
  gate_->record_refusal(device("192.0.2.7"), "fetch", "y.img",
                        {base::Kind::kNotFound, "no"});
  EXPECT_FALSE(repository_->ledger.flush());
  EXPECT_TRUE(admitted());
  config_.only_recorded = true;
  gate_->use(config_);
  EXPECT_FALSE(admitted());
  rename("elsewhere", "ledger");
  EXPECT_TRUE(repository_->ledger.flush());
  EXPECT_TRUE(admitted());
}

TEST_F(GateTest, DoesNotChooseBetweenNamesThatDifferInCaseOnly) {
  ASSERT_TRUE(take_in("a.img", "small"));
  ASSERT_TRUE(take_in("A.img", "large"));
  EXPECT_EQ(fetch("A.img"), "large");
  EXPECT_EQ(
      fetch("a.IMG"),
      "refused: 'a.IMG' is not on offer; several names differ from it only in upper "
      "and lower case; nearest: 'A.img'");
}

TEST_F(GateTest, HoldsAnImageBackUntilItIsTakenInAgainWithoutHold) {
  ASSERT_TRUE(take_in("x.img", "bytes", "", /*hold=*/true));
  EXPECT_EQ(fetch("x.img"), "refused: 'x.img' is not on offer");
  const auto again = take_in("x.img", "bytes");
  EXPECT_EQ(again->what, catalog::Added::What::kAlreadyThere);
  EXPECT_EQ(fetch("x.img"), "bytes");
}

TEST_F(GateTest, FilesNothingWhenTheChecksumDiffers) {
  EXPECT_EQ(
      sentence(take_in("x.img", "bytes", "md5:" + std::string(32, '0'))),
      "the MD5 checksum of the file differs from the expected one; nothing was added");
  EXPECT_EQ(repository_->catalog.count(), 0u);
  EXPECT_TRUE(repository_->folder.list_vault()->empty());
  EXPECT_TRUE(repository_->folder.list_arriving()->empty());
  EXPECT_TRUE(repository_->folder.list_partial()->empty());
}

TEST_F(GateTest, KnowsBytesUnderASecondName) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  const auto second = take_in("y.img", "bytes");
  EXPECT_EQ(second->what, catalog::Added::What::kNewName);
  EXPECT_EQ(second->image.name, "x.img");
  EXPECT_EQ(repository_->catalog.find("y.img")->name, "x.img");
  EXPECT_EQ(repository_->folder.list_vault()->size(), 1u);
  EXPECT_EQ(fetch("y.img"), "bytes");
}

TEST_F(GateTest, NeverPutsOtherBytesUnderAKnownName) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  EXPECT_EQ(
      sentence(take_in("x.img", "other")),
      "'x.img' is known with other bytes (SHA-256 277089d91c0bdf4f...); images never "
      "change, so use another name");
  EXPECT_EQ(fetch("x.img"), "bytes");
  EXPECT_EQ(repository_->folder.list_vault()->size(), 1u);
}

TEST_F(GateTest, KeepsTheTreeOfBackupsFreeOfImages) {
  EXPECT_EQ(sentence(take_in("backups/x.img", "bytes")),
            "names under backups/ have a meaning of their own; choose another name");
}

TEST_F(GateTest, FilesADepositAsTheNextRevisionAndNeverAsAnOffer) {
  ASSERT_TRUE(take_in("x.img", "image"));
  EXPECT_EQ(deposit("192.0.2.7", "/x.img", "first")->number, 1);
  EXPECT_EQ(deposit("192.0.2.7", "x.img", "second")->number, 2);
  EXPECT_EQ(deposit("192.0.2.8", "x.img", "first")->number, 1);
  EXPECT_EQ(fetch("x.img"), "image");
  const auto newest = find_backup("192.0.2.7", "x.img", {});
  EXPECT_EQ(newest->number, 2);
  EXPECT_EQ(fakes::read_file(vault_path(newest->digests.sha256)), "second");
  EXPECT_EQ(find_backup("192.0.2.7", "x.img", 9).error().sentence,
            "'x.img' from 192.0.2.7 has no revision 9; the newest are 2, 1");
  EXPECT_EQ(base::in_full(find_backup("192.0.2.7", "y", {}).error()),
            "there is no backup 'y' from 192.0.2.7; nearest: 'x.img'");
}

TEST_F(GateTest, KeepsABrokenOffDepositAsPartialAndPrefersCompleteOnes) {
  ASSERT_TRUE(deposit("192.0.2.7", "x.cfg", "whole"));
  {
    auto grant = open_write(device("192.0.2.7"), "x.cfg", 100);
    ASSERT_TRUE(grant->write(base::as_bytes("half")));
    grant->abandon(State::kAbandoned, "the device went silent after 4 bytes");
  }
  const auto revisions = repository_->backups.revisions();
  ASSERT_EQ(revisions->size(), 2u);
  const auto& partial = revisions->back();
  EXPECT_FALSE(partial.complete);
  EXPECT_EQ(partial.number, 2);
  EXPECT_EQ(partial.size, 4u);
  EXPECT_EQ(partial.announced, 100u);
  EXPECT_EQ(partial.why, "the device went silent after 4 bytes");
  EXPECT_EQ(fakes::read_file(state() + "/partial/" + partial.partial_file), "half");
  EXPECT_EQ(find_backup("192.0.2.7", "x.cfg", {})->number, 1);
}

TEST_F(GateTest, TakesProgressFromAnotherThreadWhileItCommits) {
  for (int i = 0; i < 20; ++i) {
    auto grant = open_write(device("192.0.2.7"), "x.cfg", {});
    ASSERT_TRUE(grant->write(base::as_bytes(std::to_string(i))));
    std::atomic<bool> filed = false;
    // As the I/O thread does when a device repeats its last block.
    std::thread io([&] {
      while (!filed) grant->transfer().advance({6, 1, 0});
    });
    EXPECT_TRUE(grant->commit());
    filed = true;
    io.join();
  }
  EXPECT_EQ(repository_->backups.revisions()->size(), 20u);
}

TEST_F(GateTest, RefusesADepositOverTheLimit) {
  config_.largest_deposit = 10;
  close();
  open();
  const auto announced = open_write(device("192.0.2.7"), "x.cfg", 11);
  ASSERT_FALSE(announced);
  EXPECT_EQ(announced.error().sentence,
            "files larger than 10 B are not accepted; this one has 11 B");
  auto grant = open_write(device("192.0.2.7"), "x.cfg", {});
  EXPECT_TRUE(grant->write(base::as_bytes("0123456789")));
  EXPECT_EQ(grant->write(base::as_bytes("x")).error().kind, base::Kind::kTooLarge);
  EXPECT_EQ(grant->commit().error().kind, base::Kind::kTooLarge);
  grant->abandon(State::kFailed, "too large");
  EXPECT_TRUE(repository_->folder.list_partial()->empty());
  EXPECT_TRUE(repository_->folder.list_arriving()->empty());
}

TEST_F(GateTest, RefusesAnImageWhoseStoredCopyIsGone) {
  const auto added = take_in("x.img", "bytes");
  std::filesystem::remove(vault_path(added->image.digests.sha256));
  EXPECT_EQ(fetch("x.img"), "refused: the server's stored copy is missing");
}

TEST_F(GateTest, WritesEverythingIntoTheLedger) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  take_in("y.img", "bytes", "md5:" + std::string(32, '0')).has_value();
  fetch("x.img");
  fetch("nothing.img");
  { auto dropped = open_read(device("192.0.2.7"), "x.img"); }
  deposit("192.0.2.7", "x.cfg", "config").has_value();
  auto rows = ledger();
  std::sort(rows.begin(), rows.end());
  EXPECT_EQ(rows,
            (std::vector<std::string>{
                "deposit complete x.cfg: revision 1",
                "fetch complete x.img",
                "fetch failed x.img: the server dropped it before its end",
                "fetch refused nothing.img: 'nothing.img' is not on offer",
                "image-add complete x.img: added, on offer",
                "image-add failed y.img: the MD5 checksum of the file differs from the "
                "expected one; nothing was added",
            }));
}

TEST_F(GateTest, ShowsTransfersWhileTheyRunAndAMomentAfter) {
  ASSERT_TRUE(take_in("x.img", std::string(4000, 'x')));
  clock_.advance(Transfers::kAfterglow + 1s);
  auto grant = open_read(device("192.0.2.7"), "x.img");
  clock_.advance(2s);
  grant->transfer().advance({1000, 1, 0});
  auto view = gate_->transfers().view();
  ASSERT_EQ(view.size(), 1u);
  EXPECT_EQ(view[0].state, State::kRunning);
  EXPECT_EQ(view[0].peer, "192.0.2.7");
  EXPECT_EQ(view[0].bytes, 1000u);
  EXPECT_EQ(view[0].total, 4000u);
  EXPECT_EQ(view[0].resent, 1u);
  EXPECT_DOUBLE_EQ(view[0].rate, 500);
  grant->transfer().end(State::kAbandoned, "gone");
  EXPECT_EQ(gate_->transfers().running(), 0u);
  view = gate_->transfers().view();
  ASSERT_EQ(view.size(), 1u);
  EXPECT_EQ(view[0].state, State::kAbandoned);
  EXPECT_EQ(view[0].why, "gone");
  clock_.advance(Transfers::kAfterglow + 1s);
  EXPECT_TRUE(gate_->transfers().view().empty());
}

}  // namespace
}  // namespace vantro::gate
