#include "upkeep/recovery.h"

#include <filesystem>
#include <sys/stat.h>

#include "tests/fakes/repository_fixture.h"

namespace vantro::upkeep {
namespace {

class RecoveryTest : public fakes::RepositoryFixture {
 protected:
  // As if killed while it came in: the file stays, the grant never ends.
  void leave_arriving(const store::ArrivalLabel& label, const std::string& bytes) {
    fakes::write_file(state() + "/arriving/" + label.file_name(clock_.wall(), "00000000"),
                      bytes);
  }
};

TEST_F(RecoveryTest, FindsNothingToDoAfterACleanStop) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  ASSERT_TRUE(deposit("192.0.2.7", "x.cfg", "config"));
  EXPECT_TRUE(reopen().clean());
  EXPECT_EQ(fetch("x.img"), "bytes");
}

TEST_F(RecoveryTest, KeepsACutOffBackupAsPartialAndDropsACutOffImage) {
  leave_arriving({"backup", "192.0.2.7", "site/x.cfg"}, "half");
  leave_arriving({"backup", "192.0.2.7", "empty"}, "");
  leave_arriving({"image", "operator", "x.img"}, "half");
  const auto report = reopen();
  EXPECT_EQ(report.set_aside, 1u);
  EXPECT_EQ(report.removed, 2u);
  EXPECT_TRUE(repository_->folder.list_arriving()->empty());
  const auto revision = find_backup("192.0.2.7", "site/x.cfg", {});
  ASSERT_TRUE(revision);
  EXPECT_FALSE(revision->complete);
  EXPECT_EQ(revision->size, 4u);
  EXPECT_EQ(revision->why, "the server stopped while it was being received");
  EXPECT_TRUE(reopen().clean());
}

// Killed between the moment that a broken-off upload was taken up again and its record.
TEST_F(RecoveryTest, ForgetsAPartialFileThatWasBeingGoneOnWith) {
  leave_arriving({"backup", "192.0.2.7", "x.cfg"}, "half");
  reopen();
  const auto first = find_backup("192.0.2.7", "x.cfg", {});
  ASSERT_FALSE(first->partial_file.empty());
  const store::ArrivalLabel label{"backup", "192.0.2.7", "x.cfg"};
  {
    auto again =
        repository_->folder.arrive_again(first->partial_file, label, 1, false, {});
    ASSERT_TRUE(again);
    ASSERT_TRUE(again->write(base::as_bytes(" more")));
    // As a kill leaves it: neither kept nor set aside.
    const auto arriving = state() + "/arriving/";
    const auto files = repository_->folder.list_arriving();
    ASSERT_EQ(files->size(), 1u);
    const auto name = files->front().name;
    std::filesystem::copy(arriving + name, folder_ / "copy");
    again->discard();
    std::filesystem::rename(folder_ / "copy", arriving + name);
  }
  const auto report = reopen();
  EXPECT_EQ(report.set_aside, 1u);
  const auto both = repository_->backups.revisions(backup::Holder{0, "192.0.2.7"});
  ASSERT_EQ(both->size(), 2u);
  EXPECT_EQ((*both)[0].partial_file, "");
  EXPECT_NE((*both)[1].partial_file, "");
  EXPECT_EQ((*both)[1].size, 9u);
}

TEST_F(RecoveryTest, SetsAFileWithoutARecordAsideAndNeverOffersIt) {
  auto arrival = repository_->folder.arrive({"image", "operator", "x.img"}, 0, 0);
  ASSERT_TRUE(arrival->write(base::as_bytes("bytes")));
  const auto sha256 = arrival->seal()->sha256;
  ASSERT_TRUE(arrival->keep());
  EXPECT_EQ(reopen().unrecorded, 1u);
  EXPECT_TRUE(repository_->folder.list_vault()->empty());
  EXPECT_EQ(fakes::read_file(state() + "/partial/" + sha256 + ".unrecorded"), "bytes");
}

TEST_F(RecoveryTest, ReportsWhatIsGoneAndQuarantinesWhatIsDamaged) {
  const auto gone = take_in("gone.img", "gone")->image.digests.sha256;
  const auto cut = take_in("cut.img", "whole")->image.digests.sha256;
  std::filesystem::remove(vault_path(gone));
  ::chmod(vault_path(cut).c_str(), 0644);
  fakes::write_file(vault_path(cut), "wh");
  const auto report = reopen();
  EXPECT_EQ(report.missing, std::vector<std::string>{gone});
  EXPECT_EQ(report.damaged, std::vector<std::string>{cut});
  EXPECT_EQ(
      fetch("cut.img"),
      "refused: 'cut.img' is damaged on the server's disk and is not handed out; the "
      "operator must take it in again");
  // Taken in again, it is whole again.
  ASSERT_TRUE(take_in("gone.img", "gone"));
  ASSERT_TRUE(take_in("cut.img", "whole"));
  EXPECT_EQ(fetch("gone.img"), "gone");
  EXPECT_EQ(fetch("cut.img"), "whole");
  EXPECT_TRUE(reopen().clean());
}

TEST_F(RecoveryTest, MarksAllOfAVaultThatIsGone) {
  for (int i = 0; i < 150; ++i) {
    const auto sha256 =
        take_in("x" + std::to_string(i), std::to_string(i))->image.digests.sha256;
    std::filesystem::remove(vault_path(sha256));
  }
  EXPECT_EQ(reopen().missing.size(), 150u);
  const auto whole =
      repository_->database->read([](db::Transaction& t) -> base::Outcome<std::int64_t> {
        return t.query("select count(*) from images where whole = 1").front().integer(0);
      });
  EXPECT_EQ(*whole, 0);
}

TEST_F(RecoveryTest, SweepsPartialFilesOnlyWhenTheyAreOld) {
  leave_arriving({"backup", "192.0.2.7", "x.cfg"}, "half");
  reopen();
  const auto now = base::SystemClock{}.wall();
  constexpr std::chrono::hours kWeek(7 * 24);
  EXPECT_EQ(*sweep_partial(*repository_, now, kWeek, log_), 0u);
  const auto later = now + std::chrono::milliseconds(kWeek).count() + 2000;
  EXPECT_EQ(*sweep_partial(*repository_, later, kWeek, log_), 1u);
  EXPECT_TRUE(repository_->folder.list_partial()->empty());
  EXPECT_EQ(find_backup("192.0.2.7", "x.cfg", {})->partial_file, "");
}

TEST_F(RecoveryTest, RefusesAVaultWithoutItsDatabaseAndRebuildsOnRequest) {
  const auto sha256 = take_in("x.img", "bytes")->image.digests.sha256;
  close();
  for (const auto* part : {"", "-wal", "-shm"}) {
    std::filesystem::remove(state() + "/vantro.db" + part);
  }
  const auto opened = gate::Repository::open(state(), log_);
  ASSERT_FALSE(opened);
  EXPECT_EQ(opened.error().sentence,
            state() +
                "/vantro.db is missing, but vault/ holds 1 files that it knew: put the "
                "database back, or start once with --recover-database to record the "
                "files anew");
  ASSERT_TRUE(rebuild_database(state(), {}, 0, log_));
  open();
  const auto recovered = repository_->catalog.list({})->images.front().image;
  EXPECT_EQ(recovered.name, "recovered-" + sha256.substr(0, 12));
  EXPECT_FALSE(recovered.offered);
  ASSERT_TRUE(take_in("x.img", "bytes"));
  EXPECT_EQ(fetch("x.img"), "bytes");
}

TEST_F(RecoveryTest, RebuildsADamagedDatabaseAndKeepsTheOldOne) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  close();
  fakes::write_file(state() + "/vantro.db", "this is no database at all, is it?");
  const auto opened = gate::Repository::open(state(), log_);
  ASSERT_FALSE(opened);
  EXPECT_EQ(opened.error().kind, base::Kind::kCorrupt);
  EXPECT_NE(opened.error().sentence.find("the files in vault/ are untouched"),
            std::string::npos);
  ASSERT_TRUE(rebuild_database(state(), {}, 77, log_));
  EXPECT_TRUE(std::filesystem::exists(state() + "/vantro.db.damaged-77"));
  EXPECT_TRUE(reopen().clean());
  EXPECT_EQ(repository_->catalog.count(), 1u);
}

}  // namespace
}  // namespace vantro::upkeep
