#include "upkeep/drop_folder.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include "tests/fakes/eventually.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::upkeep {
namespace {

namespace fs = std::filesystem;

class DropFolderTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    real_gate_ = std::make_unique<gate::Gate>(*repository_, real_clock_, log_, config_);
    fs::create_directories(drop());
    watch();
  }
  void TearDown() override { watched_.reset(); }
  void watch() {
    auto made = DropFolder::watch(*repository_, *real_gate_, log_,
                                  {drop(), std::chrono::milliseconds(100)});
    ASSERT_TRUE(made) << made.error().sentence;
    watched_ = std::move(*made);
    watched_->start();
  }
  std::string drop(const std::string& name = "") const {
    return folder_ / "drop" + (name.empty() ? "" : "/" + name);
  }
  void put(const std::string& name, const std::string& bytes) {
    fakes::write_file(drop(name), bytes);
  }
  bool is_taken_in(const std::string& name) {
    return fakes::eventually(
        [&] { return fs::exists(drop("done/" + name)) && !fs::exists(drop(name)); });
  }
  bool has_trouble(const std::string& name) {
    return fakes::eventually([&] {
      const auto text = fakes::read_file(drop(name + ".trouble.txt"));
      return text.ends_with("gone.\n");
    });
  }
  std::string trouble(const std::string& name) {
    return fakes::read_file(drop(name + ".trouble.txt"));
  }
  std::string vouching(const std::string& name) {
    return catalog::word(repository_->catalog.find(name)->vouching);
  }

  base::SystemClock real_clock_;
  std::unique_ptr<gate::Gate> real_gate_;
  std::unique_ptr<DropFolder> watched_;
};

const std::string kSha256OfBytes =
    "277089d91c0bdf4f2e6862ba7e4a07605119431f5d13f726dd352b06f1b206a9";

TEST_F(DropFolderTest, TakesAFileInAndMovesItAside) {
  put("x.img", "bytes");
  ASSERT_TRUE(is_taken_in("x.img"));
  EXPECT_EQ(vouching("x.img"), "unvouched");
  EXPECT_EQ(repository_->catalog.find("x.img")->taken_in_by, "drop-folder");
  EXPECT_EQ(fakes::read_file(drop("done/x.img")), "bytes");
  put("x.img", "bytes");  // again: the one that was there stays
  ASSERT_TRUE(fakes::eventually([&] { return fs::exists(drop("done/x.img.2")); }));
}

TEST_F(DropFolderTest, ComparesWithTheChecksumFileBesideIt) {
  put("x.img.sha256", kSha256OfBytes + "\n");
  put("SHA256SUMS", kSha256OfBytes + " *y.img\n" + std::string(64, '0') + "  z.img\n");
  put("x.img", "bytes");
  ASSERT_TRUE(is_taken_in("x.img"));
  EXPECT_TRUE(fakes::eventually([&] { return fs::exists(drop("done/x.img.sha256")); }));
  EXPECT_EQ(vouching("x.img"), "vouched");
  put("y.img", "bytes");
  ASSERT_TRUE(is_taken_in("y.img"));
  put("z.img", "bytes");
  ASSERT_TRUE(has_trouble("z.img"));
  EXPECT_NE(trouble("z.img").find("expected  " + std::string(64, '0') + "\nreceived  " +
                                  kSha256OfBytes),
            std::string::npos)
      << trouble("z.img");
  EXPECT_TRUE(fs::exists(drop("z.img")));
  EXPECT_FALSE(repository_->catalog.find("z.img"));
  // The right list makes it right.
  put("SHA256SUMS", kSha256OfBytes + "  z.img\n");
  ASSERT_TRUE(is_taken_in("z.img"));
  EXPECT_FALSE(fs::exists(drop("z.img.trouble.txt")));
}

TEST_F(DropFolderTest, KnowsListsAndSignaturesByTheirContent) {
  put("release-7.6 sums", kSha256OfBytes + "  x.img\n");
  put("release-7.6 sums.asc", "-----BEGIN PGP SIGNATURE-----\n\nxyz\n");
  put("other.minisig", "untrusted comment: x\nRUQ=\ntrusted comment: y\nAAAA\n");
  put("checksums.txt", "see our web page\n");
  put("broken.sig", "not a signature");
  put("x.img", "bytes");
  ASSERT_TRUE(is_taken_in("x.img"));
  ASSERT_TRUE(is_taken_in("release-7.6 sums"));
  ASSERT_TRUE(is_taken_in("release-7.6 sums.asc"));
  EXPECT_EQ(vouching("x.img"), "vouched");
  ASSERT_TRUE(has_trouble("checksums.txt"));
  ASSERT_TRUE(has_trouble("broken.sig"));
  EXPECT_TRUE(fs::exists(drop("other.minisig")));
  EXPECT_EQ(repository_->catalog.count(), 1u);
  const auto said = repository_->troubles.all();
  ASSERT_EQ(said.size(), 1u);
  EXPECT_NE(said[0].find("'broken.sig', 'checksums.txt'"), std::string::npos) << said[0];
}

TEST_F(DropFolderTest, AListThatComesBehindItsImageCounts) {
  put("x.img", "bytes");
  put("y.img", "other");
  ASSERT_TRUE(is_taken_in("x.img"));
  ASSERT_TRUE(is_taken_in("y.img"));
  EXPECT_EQ(vouching("x.img"), "unvouched");
  put("SHA256SUMS", kSha256OfBytes + "  x.img\n");
  ASSERT_TRUE(is_taken_in("SHA256SUMS"));
  EXPECT_EQ(vouching("x.img"), "vouched");
  put("y.img.sha256", kSha256OfBytes + "\n");
  ASSERT_TRUE(has_trouble("y.img.sha256"));
  EXPECT_EQ(vouching("y.img"), "contradicted");
  EXPECT_NE(trouble("y.img.sha256").find("'y.img' was added before, and its SHA-256"),
            std::string::npos);
}

TEST_F(DropFolderTest, AddsWhatLiesInSubfoldersWithItsPath) {
  fs::create_directories(drop("north/pumps"));
  put("north/pumps/x.img", "bytes");
  put("north/pumps/x.img.sha256", kSha256OfBytes + "\n");
  ASSERT_TRUE(is_taken_in("north/pumps/x.img"));
  EXPECT_EQ(vouching("north/pumps/x.img"), "vouched");
  put("north/pumps/later.img", "later");
  ASSERT_TRUE(is_taken_in("north/pumps/later.img"));
  // A list is for what lies beside it.
  put("SHA256SUMS", std::string(64, '0') + "  z.img\n");
  put("north/z.img", "bytes");
  ASSERT_TRUE(is_taken_in("north/z.img"));
}

TEST_F(DropFolderTest, ANewListDoesNotMakeUnrelatedFilesBeTriedAgain) {
  ASSERT_TRUE(take_in("x.img", "other bytes"));
  put("x.img", "bytes");
  ASSERT_TRUE(has_trouble("x.img"));
  const auto told_at = fs::last_write_time(drop("x.img.trouble.txt"));
  put("SHA256SUMS", kSha256OfBytes + "  y.img\n");
  put("y.img", "bytes");
  ASSERT_TRUE(is_taken_in("y.img"));
  EXPECT_EQ(fs::last_write_time(drop("x.img.trouble.txt")), told_at);
}

// Whoever may write into the folder must not reach anything else by it.
TEST_F(DropFolderTest, WritesThroughNoLinkAndIsHeldUpByNoPipe) {
  fakes::write_file(folder_ / "token", "secret");
  fs::create_directory(folder_ / "elsewhere");
  fs::create_symlink(folder_ / "token", drop("x.img.trouble.txt"));
  ASSERT_EQ(::mkfifo(drop("pipe.img").c_str(), 0666), 0);
  ASSERT_EQ(::mkfifo(drop("SHA256SUMS").c_str(), 0666), 0);
  fs::remove_all(drop("done"));
  fs::create_directory_symlink(folder_ / "elsewhere", drop("done"));
  ASSERT_TRUE(take_in("x.img", "other bytes"));
  put("x.img", "bytes");
  ASSERT_TRUE(has_trouble("x.img"));
  EXPECT_FALSE(fs::is_symlink(drop("x.img.trouble.txt")));
  EXPECT_EQ(fakes::read_file(folder_ / "token"), "secret");
  put("y.img", "more bytes");
  ASSERT_TRUE(fakes::eventually([&] {
    const auto said = repository_->troubles.all();
    return !said.empty() && said[0].find("'y.img'") != std::string::npos;
  }));
  EXPECT_TRUE(repository_->catalog.find("y.img"));
  EXPECT_TRUE(fs::exists(drop("y.img")));
  EXPECT_NE(repository_->troubles.all().back().find("links, pipes or devices (3)"),
            std::string::npos)
      << repository_->troubles.all().back();
  EXPECT_TRUE(fs::is_empty(folder_ / "elsewhere"));
}

TEST_F(DropFolderTest, WaitsForASlowWriter) {
  const base::UniqueFd out(
      ::open(drop("slow.img").c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0644));
  for (const auto* quick : {"a.img", "b.img"}) {
    ASSERT_EQ(::write(out.get(), "slow ", 5), 5);
    // It pauses for longer than it takes to settle: what came after it has been added.
    put(quick, quick);
    ASSERT_TRUE(is_taken_in(quick));
  }
  EXPECT_FALSE(repository_->catalog.find("slow.img"));
  ASSERT_EQ(::write(out.get(), "end", 3), 3);
  const_cast<base::UniqueFd&>(out).reset();
  ASSERT_TRUE(is_taken_in("slow.img"));
  EXPECT_EQ(repository_->catalog.find("slow.img")->size, 13u);
}

TEST_F(DropFolderTest, TakesAFileThatIsMovedInAndLeavesOtherThingsAlone) {
  put(".hidden.img", "x");
  put("half.img.part", "x");
  fs::create_directory(drop(".folder"));
  put(".folder/x.img", "x");
  fs::create_symlink("/etc/hostname", drop("link.img"));
  fakes::write_file(folder_ / "y.img", "bytes");
  fs::rename(folder_ / "y.img", drop("y.img"));
  ASSERT_TRUE(is_taken_in("y.img"));
  EXPECT_EQ(repository_->catalog.count(), 1u);
  EXPECT_TRUE(fs::exists(drop(".hidden.img")));
  EXPECT_TRUE(fs::exists(drop("half.img.part")));
}

TEST_F(DropFolderTest, TriesAFailedFileAgainOnlyWhenItChanges) {
  ASSERT_TRUE(take_in("x.img", "other bytes"));
  put("x.img", "bytes");
  ASSERT_TRUE(has_trouble("x.img"));
  EXPECT_NE(trouble("x.img").find("is known with other bytes"), std::string::npos);
  const auto told_at = fs::last_write_time(drop("x.img.trouble.txt"));
  // Not by a restart, either.
  watched_.reset();
  watch();
  put("wake.img", "wake");
  ASSERT_TRUE(is_taken_in("wake.img"));
  EXPECT_EQ(fs::last_write_time(drop("x.img.trouble.txt")), told_at);
  put("x.img", "other bytes");
  ASSERT_TRUE(is_taken_in("x.img"));
  EXPECT_FALSE(fs::exists(drop("x.img.trouble.txt")));
}

// However large the file is, and however long the look would take.
TEST_F(DropFolderTest, StoppingDoesNotWaitForTheFileThatIsBeingTakenIn) {
  watched_.reset();
  // A program that never says anything about the file.
  fakes::write_file(folder_ / "slow-look", "#!/bin/sh\nexec sleep 60\n");
  fs::permissions(folder_ / "slow-look", fs::perms::owner_all);
  config_.look.program = folder_ / "slow-look";
  real_gate_ = std::make_unique<gate::Gate>(*repository_, real_clock_, log_, config_);
  watch();
  put("large.img", std::string(5'000'000, 'x'));
  ASSERT_TRUE(fakes::eventually([&] { return real_gate_->transfers().running() == 1; }));
  const auto began = std::chrono::steady_clock::now();
  watched_.reset();
  EXPECT_LT(std::chrono::steady_clock::now() - began, std::chrono::seconds(20));
  // It is there as it was, without a word of trouble, and is added after the start.
  EXPECT_TRUE(fs::exists(drop("large.img")));
  EXPECT_FALSE(fs::exists(drop("large.img.trouble.txt")));
  EXPECT_EQ(repository_->ledger.newest(1, {})->front().sentence,
            "the server is being stopped");
  EXPECT_TRUE(repository_->folder.list_arriving()->empty());
  config_.look.program.clear();
  real_gate_ = std::make_unique<gate::Gate>(*repository_, real_clock_, log_, config_);
  watch();
  EXPECT_TRUE(is_taken_in("large.img"));
}

}  // namespace
}  // namespace vantro::upkeep
