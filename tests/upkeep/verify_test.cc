#include "upkeep/verify.h"

#include <sys/stat.h>

#include "desk/images.h"
#include "tests/fakes/eventually.h"
#include "tests/fakes/few_descriptors.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::upkeep {
namespace {

class VerifyTest : public fakes::RepositoryFixture {
 protected:
  // Reads until it has ended; how many files it began with.
  std::size_t verify(VerifyRequest request = {}) {
    Verifier verifier(*repository_);
    const auto begun = verifier.start(request);
    EXPECT_TRUE(begun) << begun.error().sentence;
    EXPECT_TRUE(ends(verifier));
    last_ = verifier.progress();
    return begun.value_or(0);
  }
  static bool ends(const Verifier& verifier) {
    return fakes::eventually([&] { return !verifier.progress().running; });
  }
  void damage(const std::string& sha256, const std::string& bytes) {
    ::chmod(vault_path(sha256).c_str(), 0644);
    fakes::write_file(vault_path(sha256), bytes);
  }
  VerifyProgress last_;
};

TEST_F(VerifyTest, ReadsEverythingThatIsStored) {
  ASSERT_TRUE(take_in("x.img", "image"));
  ASSERT_TRUE(deposit("192.0.2.7", "x.cfg", "config"));
  ASSERT_TRUE(desk::Images(*repository_, operator_)
                  .attach("x.img", "notes.txt", base::as_bytes("notes")));
  EXPECT_EQ(verify(), 3u);
  EXPECT_EQ(last_.contents_read, 3u);
  EXPECT_EQ(last_.bytes_read, 5u + 6u + 5u);
  EXPECT_TRUE(last_.damages.empty());
  EXPECT_EQ(repository_->ledger.newest(1, {})->front().sentence,
            "3 of 3 stored files read, 16 B; 0 damaged");
}

TEST_F(VerifyTest, QuarantinesDamageAndTakesItOffOfferUntilItIsTakenInAgain) {
  const auto sha256 = take_in("x.img", "image")->image.digests.sha256;
  ASSERT_TRUE(take_in("y.img", "other"));
  const auto config = deposit("192.0.2.7", "x.cfg", "config")->digests.sha256;
  damage(sha256, "imagE");
  std::filesystem::remove(vault_path(config));
  verify();
  ASSERT_EQ(last_.damages.size(), 2u);
  EXPECT_FALSE(std::filesystem::exists(vault_path(sha256)));
  EXPECT_EQ(fetch("x.img"),
            "refused: 'x.img' is damaged on the server's disk and is not handed out; the "
            "operator must add it again");
  EXPECT_EQ(fetch("y.img"), "other");
  EXPECT_FALSE(find_backup("192.0.2.7", "x.cfg", {})->whole);
  EXPECT_EQ(trouble().size(), 2u);
  std::size_t rows = 0;
  const auto newest = repository_->ledger.newest(20, {});
  for (const auto& row : *newest) {
    rows += row.event == "damage-found";
  }
  EXPECT_EQ(rows, 2u);
  // It is not reported again and again, and the same bytes mend it.
  EXPECT_EQ(verify(), 3u);
  EXPECT_TRUE(last_.damages.empty());
  ASSERT_TRUE(take_in("x.img", "image"));
  ASSERT_TRUE(deposit("192.0.2.8", "y.cfg", "config"));
  EXPECT_EQ(fetch("x.img"), "image");
  EXPECT_TRUE(find_backup("192.0.2.7", "x.cfg", {})->whole);
  EXPECT_TRUE(trouble().empty());
}

TEST_F(VerifyTest, WhenVeryManyAreDamagedOnlySomeAreNamed) {
  for (int i = 0; i < 1003; ++i) {
    const auto sha256 =
        deposit("192.0.2.7", "x" + std::to_string(i), std::to_string(i))->digests.sha256;
    std::filesystem::remove(vault_path(sha256));
  }
  verify();
  EXPECT_EQ(last_.damaged, 1003u);
  EXPECT_EQ(last_.damages.size(), 1000u);
}

TEST_F(VerifyTest, TellsOfDamagedDocumentsToo) {
  ASSERT_TRUE(take_in("x.img", "image"));
  desk::Images changes(*repository_, operator_);
  const auto notes = changes.attach("x.img", "notes.txt", base::as_bytes("notes"));
  damage(notes->sha256, "NOTES");
  verify();
  ASSERT_EQ(last_.damages.size(), 1u);
  EXPECT_EQ(last_.damages.front().names, "notes.txt");
  EXPECT_EQ(trouble().size(), 1u);
  EXPECT_EQ(fetch("x.img"), "image");
  ASSERT_TRUE(changes.attach("x.img", "notes.txt", base::as_bytes("notes")));
  EXPECT_TRUE(trouble().empty());
}

TEST_F(VerifyTest, WhatIsPutBackByHandIsWholeAgain) {
  const auto sha256 = take_in("x.img", "image")->image.digests.sha256;
  std::filesystem::rename(vault_path(sha256), folder_ / "elsewhere");
  // A fetch finds it gone, and says so from then on.
  EXPECT_EQ(fetch("x.img"), "refused: the server's stored copy is missing");
  EXPECT_EQ(fetch("x.img"),
            "refused: 'x.img' is damaged on the server's disk and is not handed out; the "
            "operator must add it again");
  EXPECT_EQ(trouble().size(), 1u);
  std::filesystem::rename(folder_ / "elsewhere", vault_path(sha256));
  verify();
  EXPECT_EQ(fetch("x.img"), "image");
  EXPECT_TRUE(trouble().empty());
}

TEST_F(VerifyTest, TheSameBytesThatComeWhileADamagedFileIsReadStay) {
  const auto sha256 = deposit("192.0.2.7", "x.cfg", "config")->digests.sha256;
  damage(sha256, "confiG");
  const auto read = repository_->folder.open_as_it_lies(sha256);
  ASSERT_TRUE(read);
  // The device is told that it is filed: what stands there now is sound.
  ASSERT_TRUE(deposit("192.0.2.7", "x.cfg", "config"));
  EXPECT_EQ(repository_->contents.lost(sha256, *read, "it was read, and differs"), false);
  EXPECT_TRUE(find_backup("192.0.2.7", "x.cfg", {})->whole);
  EXPECT_EQ(fakes::read_file(vault_path(sha256)), "config");
  // Nor is one that was gone a moment ago.
  EXPECT_EQ(repository_->contents.lost(sha256, {}, "it was gone"), false);
  EXPECT_TRUE(trouble().empty());
}

TEST_F(VerifyTest, WhatWasRemovedOnPurposeMeanwhileIsNotDamaged) {
  const auto kept = deposit("192.0.2.7", "x.cfg", "kept")->digests.sha256;
  const auto old = deposit("192.0.2.7", "y.cfg", std::string(5000, 'y'));
  Verifier verifier(*repository_);
  VerifyRequest slow;
  slow.bytes_per_second = 1;  // it stays at its first file
  ASSERT_TRUE(verifier.start(slow));
  // As thinning out does.
  ASSERT_TRUE(
      repository_->database->write([&](db::Transaction& t) -> base::Outcome<void> {
        backup::Backups::remove(t, *old);
        return {};
      }));
  const auto read = repository_->folder.open_as_it_lies(old->digests.sha256);
  repository_->contents.remove_if_unrecorded(old->digests.sha256);
  EXPECT_FALSE(std::filesystem::exists(vault_path(old->digests.sha256)));
  verifier.stop();
  // Opened before it went, or not found any more: neither is damage.
  EXPECT_EQ(repository_->contents.lost(old->digests.sha256, {}, "it is gone"), false);
  EXPECT_EQ(verify(), 1u);
  EXPECT_TRUE(last_.damages.empty());
  EXPECT_TRUE(trouble().empty());
  const auto rows = repository_->ledger.newest(20, {});
  for (const auto& row : *rows) {
    EXPECT_NE(row.event, "damage-found");
  }
  EXPECT_TRUE(std::filesystem::exists(vault_path(kept)));
}

TEST_F(VerifyTest, WhatCannotBeReadIsNotDamaged) {
  const auto sha256 = take_in("x.img", "image")->image.digests.sha256;
  ASSERT_TRUE(take_in("y.img", "other"));
  Verifier verifier(*repository_);
  {
    // As when descriptors are short: opening fails, though nothing is wrong with it.
    fakes::FewDescriptors few;
    ASSERT_TRUE(verifier.start({}));
    EXPECT_TRUE(ends(verifier));
  }
  EXPECT_TRUE(verifier.progress().damages.empty());
  EXPECT_EQ(verifier.progress().unreadable, 2u);
  EXPECT_EQ(verifier.progress().trouble,
            "2 stored files could not be read; the server tries again: the server has "
            "too many files open; try again in a minute");
  EXPECT_EQ(fetch("x.img"), "image");
  EXPECT_TRUE(std::filesystem::exists(vault_path(sha256)));
  EXPECT_EQ(verify(), 2u);
  EXPECT_EQ(last_.contents_read, 2u);
  EXPECT_EQ(last_.unreadable, 0u);
}

TEST_F(VerifyTest, TriesAgainInTheSameRunWhatCouldNotBeRead) {
  ASSERT_TRUE(take_in("x.img", "image"));
  Verifier verifier(*repository_);
  {
    fakes::FewDescriptors few;
    ASSERT_TRUE(verifier.start({}));
    ASSERT_TRUE(fakes::eventually([&] { return verifier.progress().unreadable == 1; }));
  }
  EXPECT_TRUE(ends(verifier));
  EXPECT_EQ(verifier.progress().contents_read, 1u);
  EXPECT_EQ(verifier.progress().trouble, "");
}

TEST_F(VerifyTest, ReadsOneImageOrWhatWasNotReadForLong) {
  ASSERT_TRUE(take_in("x.img", "image"));
  ASSERT_TRUE(take_in("y.img", "other"));
  VerifyRequest one;
  one.image = "y.img";
  EXPECT_EQ(verify(one), 1u);
  VerifyRequest old;
  old.unread_for = std::chrono::hours(24);
  EXPECT_EQ(verify(old), 0u);
  clock_.advance(std::chrono::hours(25));
  EXPECT_EQ(verify(one), 1u);
  EXPECT_EQ(verify(old), 1u);  // x.img alone: y.img was read just now
  one.image = "z.img";
  EXPECT_EQ(base::in_full(Verifier(*repository_).start(one).error()),
            "unknown image 'z.img'; nearest: 'x.img'");
}

TEST_F(VerifyTest, KeepsItsPaceAndStopsAtOnceWhenItIsTold) {
  ASSERT_TRUE(take_in("x.img", std::string(1000, 'x')));
  VerifyRequest slow;
  slow.bytes_per_second = 1;
  const auto began = std::chrono::steady_clock::now();
  {
    Verifier verifier(*repository_);
    ASSERT_TRUE(verifier.start(slow));
    EXPECT_EQ(verifier.start(slow).error().kind, base::Kind::kBusy);
    ASSERT_TRUE(fakes::eventually([&] { return verifier.progress().bytes_read > 0; }));
    EXPECT_TRUE(verifier.progress().running);
    verifier.stop();
    EXPECT_FALSE(verifier.progress().running);
    EXPECT_EQ(verifier.progress().trouble, "stopped before its end");
  }
  EXPECT_LT(std::chrono::steady_clock::now() - began, std::chrono::seconds(60));
}

}  // namespace
}  // namespace vantro::upkeep
