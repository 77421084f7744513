#include "upkeep/recovery.h"

#include <atomic>
#include <filesystem>
#include <sys/stat.h>
#include <thread>

#include "desk/unrecorded.h"
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
  desk::Unrecorded unrecorded() { return {*repository_, operator_}; }
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
    const auto sha256 =
        "a11ae06469c63740d7b0ecf802f282a0d46e94f31a654dfcd3c0dc6dc277f904";
    auto again = repository_->folder.arrive_again({first->partial_file, 4, sha256}, label,
                                                  1, false, {});
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

// As a kill between the two leaves it.
TEST_F(RecoveryTest, LeavesAFileWithoutARecordWhereItIsUntilAPersonDecides) {
  const auto leave = [&](const std::string& bytes) {
    auto arrival = repository_->folder.arrive({"image", "operator", "x.img"}, 0, 0);
    EXPECT_TRUE(arrival->write(base::as_bytes(bytes)));
    const auto sha256 = arrival->seal()->sha256;
    EXPECT_TRUE(arrival->keep());
    return sha256;
  };
  const auto kept = leave("bytes");
  const auto removed = leave("more bytes");
  const auto again = leave("of a device");
  const auto damaged = leave("soon damaged");
  EXPECT_EQ(reopen().unrecorded, 4u);
  // However old they are.
  EXPECT_EQ(*sweep_partial(*repository_, base::SystemClock{}.wall() * 2,
                           std::chrono::hours(24), log_),
            0u);
  EXPECT_EQ(repository_->folder.list_vault()->size(), 4u);
  ASSERT_EQ(trouble().size(), 1u);
  EXPECT_TRUE(trouble().front().starts_with("4 files without a record (38 B, "));

  const auto name = unrecorded().keep(kept);
  ASSERT_TRUE(name) << name.error().sentence;
  EXPECT_EQ(*name, "recovered-" + kept.substr(0, 12));
  ASSERT_TRUE(unrecorded().remove(removed));
  ASSERT_TRUE(deposit("192.0.2.7", "x.cfg", "of a device"));
  ::chmod(vault_path(damaged).c_str(), 0644);
  fakes::write_file(vault_path(damaged), "soon dAmaged");
  EXPECT_EQ(unrecorded().keep(damaged).error().kind, base::Kind::kCorrupt);
  EXPECT_TRUE(trouble().empty());
  EXPECT_EQ(repository_->folder.list_vault()->size(), 2u);
  EXPECT_TRUE(std::filesystem::exists(vault_path(again)));
  EXPECT_EQ(unrecorded().remove(removed).error().sentence,
            "'" + removed +
                "' is not a file without a record; 'vantro unrecorded list' shows "
                "those");
  EXPECT_TRUE(reopen().clean());
}

TEST_F(RecoveryTest, BringsBackWhatAnOlderProgramMovedOutOfTheVault) {
  const auto sha256 = take_in("x.img", "bytes")->image.digests.sha256;
  const auto other = std::string(64, 'a');
  std::filesystem::rename(vault_path(sha256),
                          state() + "/partial/" + sha256 + ".unrecorded");
  fakes::write_file(state() + "/partial/" + other + ".unrecorded", "of nobody");
  fakes::write_file(state() + "/partial/a file that came somehow", "of nobody");
  const auto report = reopen();
  EXPECT_TRUE(report.missing.empty());
  EXPECT_EQ(report.unrecorded, 2u);
  EXPECT_EQ(fetch("x.img"), "bytes");
  EXPECT_EQ(repository_->unrecorded.list().size(), 2u);
  EXPECT_EQ(unrecorded().keep("a file that came somehow").error().sentence,
            "'a file that came somehow' is an interrupted upload and can't be recorded; "
            "copy what you need from " +
                state() + "/partial/, then remove it");
  ASSERT_TRUE(unrecorded().remove("a file that came somehow"));
  EXPECT_TRUE(repository_->folder.list_partial()->empty());
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
  EXPECT_EQ(fetch("cut.img"),
            "refused: 'cut.img' is damaged on the server's disk and is not handed out; "
            "the operator must add it again");
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

// With the database in the state folder.
class FileRecoveryTest : public RecoveryTest {
 protected:
  FileRecoveryTest() { database_.use_file(); }
};

TEST_F(FileRecoveryTest, RefusesAVaultWithoutItsDatabaseAndRebuildsOnRequest) {
  const auto sha256 = take_in("x.img", "bytes")->image.digests.sha256;
  close();
  for (const auto* part : {"", "-wal", "-shm"}) {
    std::filesystem::remove(state() + "/vantro.db" + part);
  }
  const auto opened = repository::Repository::open(state(), clock_, log_, {}, opening());
  ASSERT_FALSE(opened);
  EXPECT_TRUE(opened.error().sentence.starts_with(
      state() + "/vantro.db is missing, but vault/ has 1 file (5 B), the newest from "))
      << opened.error().sentence;
  EXPECT_TRUE(opened.error().sentence.ends_with(
      ". Nothing was changed. Put a copy of the database back, or start once with "
      "--recover-database to record the files again"));
  ASSERT_TRUE(rebuild_database(state(), "", {}, 0, log_));
  open();
  const auto recovered = repository_->catalog.list({})->images.front().image;
  EXPECT_EQ(recovered.name, "recovered-" + sha256.substr(0, 12));
  EXPECT_FALSE(recovered.offered);
  ASSERT_TRUE(take_in("x.img", "bytes"));
  EXPECT_EQ(fetch("x.img"), "bytes");
}

TEST_F(FileRecoveryTest, RebuildsADamagedDatabaseAndKeepsTheOldOne) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  close();
  fakes::write_file(state() + "/vantro.db", std::string(600, '?'));
  const auto opened = repository::Repository::open(state(), clock_, log_, {}, opening());
  ASSERT_FALSE(opened);
  EXPECT_EQ(opened.error().kind, base::Kind::kCorrupt);
  EXPECT_NE(opened.error().sentence.find("the files in vault/ are untouched"),
            std::string::npos);
  // What is too short to hold anything would be taken for a new one.
  for (const auto* rest : {"", "x", "this was never a database"}) {
    fakes::write_file(state() + "/vantro.db", rest);
    const auto again = repository::Repository::open(state(), clock_, log_, {}, opening());
    ASSERT_FALSE(again) << rest;
    EXPECT_NE(again.error().sentence.find(", but vault/ has 1 file (5 B)"),
              std::string::npos);
    EXPECT_EQ(fakes::read_file(state() + "/vantro.db"), rest);
  }
  ASSERT_TRUE(rebuild_database(state(), "", {}, 77, log_));
  EXPECT_TRUE(std::filesystem::exists(state() + "/vantro.db.damaged-77"));
  EXPECT_TRUE(reopen().clean());
  EXPECT_EQ(repository_->catalog.count(), 1u);
}

// A copy of the database, and what became of the state since.
class OlderDatabaseTest : public FileRecoveryTest {
 protected:
  void copy_database() {
    close();
    std::filesystem::copy(state() + "/vantro.db", folder_ / "copy.db");
    open();
  }
  void put_back() {
    close();
    for (const auto* part : {"-wal", "-shm"}) {
      std::filesystem::remove(state() + "/vantro.db" + part);
    }
    std::filesystem::copy_file(folder_ / "copy.db", state() + "/vantro.db",
                               std::filesystem::copy_options::overwrite_existing);
  }
};

TEST_F(OlderDatabaseTest, IsRefusedWithWhatWasFoundAndTakenOnlyWhenAsked) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  copy_database();
  const auto sha256 = deposit("192.0.2.7", "x.cfg", "config")->digests.sha256;
  put_back();
  const auto before = fakes::read_file(state() + "/vantro.db");
  const auto opened = repository::Repository::open(state(), clock_, log_, {}, opening());
  ASSERT_FALSE(opened);
  EXPECT_EQ(opened.error().kind, base::Kind::kInvalid);
  const auto& sentence = opened.error().sentence;
  EXPECT_TRUE(
      sentence.starts_with(state() + "/vantro.db is older than vault/: it was last "));
  EXPECT_NE(sentence.find("; vault/ has 2 files (11 B), the newest from "),
            std::string::npos)
      << sentence;
  EXPECT_TRUE(sentence.ends_with(
      ". Nothing was changed. Put the newer database back, or start once with "
      "--accept-older-database: files that it does not know stay in vault/ until you "
      "decide about them"));
  EXPECT_EQ(fakes::read_file(state() + "/vantro.db"), before);

  auto accepted =
      repository::Repository::open(state(), clock_, log_, {}, {database_.where(), true});
  ASSERT_TRUE(accepted) << accepted.error().sentence;
  accepted->reset();
  EXPECT_EQ(reopen().unrecorded, 1u);
  EXPECT_EQ(fetch("x.img"), "bytes");
  EXPECT_TRUE(std::filesystem::exists(vault_path(sha256)));
  // From now on it is the vault's.
  EXPECT_EQ(reopen().unrecorded, 1u);
}

TEST_F(OlderDatabaseTest, OfAnotherStateFolderIsRefused) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  copy_database();
  close();
  std::filesystem::remove_all(state());
  open();
  ASSERT_TRUE(take_in("y.img", "other bytes"));
  put_back();
  const auto opened = repository::Repository::open(state(), clock_, log_, {}, opening());
  ASSERT_FALSE(opened);
  EXPECT_TRUE(opened.error().sentence.starts_with(
      state() + "/vantro.db belongs to another state folder; vault/ has 1 file "))
      << opened.error().sentence;
}

TEST_F(OlderDatabaseTest, IsNotSuspectedWhereTheVaultLagsBehindOrWasCopiedWithoutIt) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  const auto identity = fakes::read_file(state() + "/vault/identity");
  ASSERT_TRUE(deposit("192.0.2.7", "x.cfg", "config"));
  close();
  EXPECT_NE(fakes::read_file(state() + "/vault/identity"), identity);
  // As a power cut leaves it: the database is always synced, this is not.
  fakes::write_file(state() + "/vault/identity", identity);
  EXPECT_TRUE(reopen().clean());
  close();
  std::filesystem::remove(state() + "/vault/identity");
  EXPECT_TRUE(reopen().clean());
  EXPECT_TRUE(std::filesystem::exists(state() + "/vault/identity"));
}

TEST_F(OlderDatabaseTest, ALostDatabaseIsMissedEvenIfTheVaultIsEmpty) {
  ASSERT_TRUE(repository_->database->write(
      [](db::Transaction&) { return base::Outcome<void>(); }));
  close();
  for (const auto* part : {"", "-wal", "-shm"}) {
    std::filesystem::remove(state() + "/vantro.db" + part);
  }
  const auto opened = repository::Repository::open(state(), clock_, log_, {}, opening());
  ASSERT_FALSE(opened);
  EXPECT_TRUE(opened.error().sentence.starts_with(
      state() +
      "/vantro.db is missing, but vault/ holds no files, and its database was "
      "last written on "))
      << opened.error().sentence;
}

// It runs while devices send: bytes that are just being filed have no record for a
// moment.
TEST_F(RecoveryTest, TakesNothingForUnrecordedThatIsBeingFiled) {
  std::atomic<bool> done = false;
  std::thread devices([&] {
    for (int i = 0; i < 300; ++i) {
      EXPECT_TRUE(deposit("192.0.2.7", "x.cfg", "config " + std::to_string(i)));
    }
    done = true;
  });
  int runs = 0;
  do {
    const auto found = upkeep::VaultComparison(*repository_, log_).run();
    ASSERT_TRUE(found);
    EXPECT_TRUE(found->clean());
    ++runs;
  } while (!done);
  devices.join();
  EXPECT_GT(runs, 1);
  EXPECT_TRUE(repository_->unrecorded.list().empty());
}

}  // namespace
}  // namespace vantro::upkeep
