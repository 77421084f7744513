#include "upkeep/snapshot.h"

#include <atomic>
#include <sys/stat.h>
#include <thread>

#include "tests/fakes/eventually.h"
#include "tests/fakes/repository_fixture.h"
#include "tests/fakes/start_up.h"
#include "upkeep/restore.h"
#include "upkeep/snapshot_list.h"

namespace vantro::upkeep {
namespace {

namespace fs = std::filesystem;
using State = SnapshotProgress::State;

class SnapshotTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    fs::create_directories(below());
  }
  std::string below() const { return state() + "-snapshots"; }
  std::string restored() const { return state() + "-restored"; }
  void TearDown() override {
    fs::remove_all(below());
    fs::remove_all(restored());
  }
  SnapshotProgress make(const std::string& name) {
    Snapshots snapshots(*repository_);
    const auto begun = snapshots.start(name, below(), operator_.by());
    EXPECT_TRUE(begun) << begun.error().sentence;
    EXPECT_TRUE(fakes::eventually([&] {
      const auto now = snapshots.progress().state;
      return now == State::kComplete || now == State::kFailed;
    }));
    return snapshots.progress();
  }
  std::string refusal(const std::string& name) {
    Snapshots snapshots(*repository_);
    const auto begun = snapshots.start(name, below(), operator_.by());
    return begun ? "begun" : begun.error().sentence;
  }
  base::Outcome<Restored> restore_from(const std::string& name) {
    return restore(below() + "/" + name, restored(), [](const Restored&) {});
  }
  // From now on the fixture's repository is the restored one.
  void open_restored() {
    close();
    fs::remove_all(state());
    fs::rename(restored(), state());
    open();
    const auto report = fakes::start_up(*repository_, clock_.wall(), log_);
    ASSERT_TRUE(report) << report.error().sentence;
  }
};

TEST_F(SnapshotTest, HoldsWhatIsKeptAndGoesBack) {
  ASSERT_TRUE(take_in("x.img", "image"));
  ASSERT_TRUE(deposit("192.0.2.7", "x.cfg", "config"));
  for (const auto* name : {"one", "one.tar"}) {
    SCOPED_TRACE(name);
    const auto made = make(name);
    ASSERT_EQ(made.state, State::kComplete) << made.why;
    EXPECT_EQ(made.files_done, made.files);
    EXPECT_EQ(made.missing, 0u);
    fs::remove_all(restored());
    const auto back = restore_from(name);
    ASSERT_TRUE(back) << back.error().sentence;
    EXPECT_EQ(back->files, made.files);
  }
  EXPECT_FALSE(fs::exists(state() + "/snapshot-in-progress"));
  open_restored();
  EXPECT_EQ(fetch("x.img"), "image");
  EXPECT_TRUE(find_backup("192.0.2.7", "x.cfg", {}));
  EXPECT_EQ(repository_->unrecorded.sentence(), std::nullopt);
}

TEST_F(SnapshotTest, SharesItsBytesWithTheVaultAndAddsOnlyWhatIsNew) {
  const auto first = take_in("x.img", "image")->image.digests.sha256;
  ASSERT_EQ(make("one").linked, 1u);
  struct stat stored {};
  ASSERT_EQ(::stat(vault_path(first).c_str(), &stored), 0);
  EXPECT_EQ(stored.st_nlink, 2u);
  ASSERT_TRUE(take_in("y.img", "other"));
  const auto again = make("one");
  EXPECT_EQ(again.kept, 1u);
  EXPECT_EQ(again.linked, 1u);
  // Nothing is left of one that was killed either.
  fakes::write_file(below() + "/one/database/left-over.db", "half");
  ASSERT_EQ(make("one").state, State::kComplete);
  // Of the first one nothing is left but what the second one has as well.
  const auto list = read_list(below() + "/one/" + kListName);
  ASSERT_TRUE(list);
  std::size_t files = 0;
  for (const auto& entry : fs::recursive_directory_iterator(below() + "/one")) {
    if (entry.is_regular_file()) ++files;
  }
  EXPECT_EQ(files, list->size() + 1);
}

TEST_F(SnapshotTest, SaysWhatDiffersAndIsNotWhole) {
  const auto sha256 = take_in("x.img", "image")->image.digests.sha256;
  ASSERT_EQ(make("one").state, State::kComplete);
  const auto inside = "vault/" + sha256.substr(0, 2) + "/" + sha256;
  const auto file = below() + "/one/" + inside;
  fs::remove(file);
  fakes::write_file(file, "imagE");
  auto back = restore_from("one");
  ASSERT_FALSE(back);
  EXPECT_EQ(back.error().kind, base::Kind::kMismatch);
  EXPECT_TRUE(back.error().sentence.starts_with("checksum mismatch: '" + inside + "'"))
      << back.error().sentence;
  // No server starts on a part of it.
  EXPECT_FALSE(fs::exists(restored() + "/vantro.db"));
  back = restore_from("one");
  ASSERT_FALSE(back);
  EXPECT_EQ(back.error().kind, base::Kind::kExists);
  fs::remove_all(restored());
  fs::remove(file);
  back = restore_from("one");
  ASSERT_FALSE(back);
  EXPECT_EQ(back.error().kind, base::Kind::kNotFound) << back.error().sentence;
  fs::remove_all(restored());
  fs::create_directories(below() + "/nothing");
  back = restore_from("nothing");
  ASSERT_FALSE(back);
  EXPECT_EQ(back.error().kind, base::Kind::kCorrupt);
}

TEST_F(SnapshotTest, WritesOnlyBelowItsFolder) {
  EXPECT_EQ(refusal("../elsewhere"),
            "'../elsewhere' is not below " + below() +
                ", the folder for snapshots (snapshot.folder in the settings)");
  EXPECT_NE(refusal("/etc/vantro"), "begun");
  EXPECT_NE(refusal(""), "begun");
  EXPECT_NE(refusal("."), "begun");
  fakes::write_file(below() + "/old.tar", "something");
  EXPECT_EQ(refusal("old.tar"), below() +
                                    "/old.tar exists already; choose another name, or "
                                    "remove it first");
  fs::create_directories(below() + "/other/things");
  EXPECT_EQ(refusal("other"), below() +
                                  "/other is not a snapshot; choose "
                                  "another name");
}

// Backups come and images go while snapshots are taken: each is sound in itself.
TEST_F(SnapshotTest, IsSoundWhileOthersWrite) {
  ASSERT_TRUE(take_in("stays.img", "stays"));
  std::atomic<bool> over = false;
  std::thread writer([&] {
    for (int i = 0; !over; ++i) {
      const auto bytes = "config " + std::to_string(i);
      if (!deposit("192.0.2.7", "x.cfg", bytes)) return;
    }
  });
  for (int i = 0; i < 8; ++i) {
    const auto made = make(i % 2 == 0 ? "one" : "archive-" + std::to_string(i) + ".tar");
    EXPECT_EQ(made.state, State::kComplete) << made.why;
    EXPECT_EQ(made.missing, 0u);
  }
  over = true;
  writer.join();
  for (const auto* name : {"one", "archive-7.tar"}) {
    fs::remove_all(restored());
    const auto back = restore_from(name);
    ASSERT_TRUE(back) << back.error().sentence;
  }
  open_restored();
  EXPECT_EQ(fetch("stays.img"), "stays");
  EXPECT_EQ(repository_->unrecorded.sentence(), std::nullopt);
}

TEST(SnapshotListTest, RefusesNamesThatLeadOut) {
  const std::string digest(64, 'a');
  EXPECT_TRUE(parse_list(digest + "  vault/aa/x\n"));
  for (const auto* line : {"  ../x", "  /etc/x", "  ", " x"}) {
    EXPECT_FALSE(parse_list(digest + line + "\n")) << line;
  }
  EXPECT_FALSE(parse_list("abc  x\n"));
}

}  // namespace
}  // namespace vantro::upkeep
