#include "upkeep/late_digests.h"

#include <sys/stat.h>

#include "desk/finder.h"
#include "desk/images.h"
#include "gate/hand_in.h"
#include "tests/fakes/eventually.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::upkeep {
namespace {

using base::Kind;

crypto::Digests digests_of(const std::string& bytes) {
  crypto::Digester digester;
  digester.update(base::as_bytes(bytes));
  return digester.finish();
}

class LateDigestsTest : public fakes::RepositoryFixture {
 protected:
  const std::string large_ = std::string(crypto::Digester::kAllUpTo + 1, 'l');
  const crypto::Digests all_ = digests_of(large_);
  const crypto::Digests at_once_{"", "", all_.sha256, ""};

  crypto::Digests recorded(const std::string& image = "large.img") {
    return repository_->catalog.find(image)->digests;
  }
  // As the server does it; whether none is missing after it.
  bool compute() {
    LateDigests late(*repository_);
    late.start();
    return fakes::eventually(
        [&] { return repository_->missing_digests.some(9)->empty(); });
  }
};

TEST_F(LateDigestsTest, FollowForImagesAndBackupsAndAreKnownToRequests) {
  EXPECT_EQ(take_in("large.img", large_)->image.digests, at_once_);
  EXPECT_EQ(take_in("small.img", "small")->image.digests, digests_of("small"));
  const auto deposited = deposit("192.0.2.7", "large.bin", large_ + "2");
  EXPECT_EQ(deposited->digests.md5, "");
  EXPECT_EQ(fetch("large.img.md5"),
            "refused: the MD5 of 'large.img' is still being computed; ask again in a "
            "minute");
  EXPECT_EQ(fetch("large.img.sha256"), all_.sha256 + "  large.img\n");
  ASSERT_TRUE(compute());
  EXPECT_EQ(recorded(), all_);
  EXPECT_EQ(fetch("large.img.md5"), all_.md5 + "  large.img\n");
  EXPECT_EQ(find_backup("192.0.2.7", "large.bin", {})->digests, digests_of(large_ + "2"));
}

// A kill between the acknowledgement and the other digests.
TEST_F(LateDigestsTest, FollowAfterTheNextStart) {
  ASSERT_TRUE(take_in("large.img", large_));
  EXPECT_TRUE(reopen().clean());
  EXPECT_EQ(recorded(), at_once_);
  ASSERT_TRUE(compute());
  EXPECT_EQ(recorded(), all_);
}

TEST_F(LateDigestsTest, WhatAChecksumNeedsIsComputedBeforeTheAnswer) {
  const auto added = take_in("large.img", large_, "md5:" + all_.md5);
  ASSERT_TRUE(added) << added.error().sentence;
  EXPECT_EQ(recorded(), (crypto::Digests{all_.md5, "", all_.sha256, ""}));
  EXPECT_EQ(recorded(), added->image.digests);
  const auto wrong =
      take_in("other.img", large_ + "2", "sha512:" + std::string(128, '0'));
  ASSERT_FALSE(wrong);
  EXPECT_EQ(wrong.error().kind, Kind::kMismatch);
}

// A person's checksum may come after all bytes, or for an image that was added before.
TEST_F(LateDigestsTest, AChecksumThatComesLateIsComparedAllTheSame) {
  gate::IntakeOptions options;
  options.name = "large.img";
  options.by = operator_.by();
  auto intake = gate_->open_intake(std::move(options));
  ASSERT_TRUE(intake->write(base::as_bytes(large_)));
  ASSERT_TRUE(intake->finish());
  intake->expect({*crypto::Expected::parse(all_.sha1)});
  intake->add_claims({{*crypto::Expected::parse(all_.md5), "a list", ""}});
  ASSERT_TRUE(intake->commit());
  EXPECT_EQ(recorded(), all_);

  ASSERT_TRUE(take_in("next.img", large_ + "2"));
  const auto next = digests_of(large_ + "2");
  const auto vouched =
      desk::Images(*repository_, operator_)
          .vouch("next.img", {{*crypto::Expected::parse(next.sha512), "", ""}});
  ASSERT_TRUE(vouched) << vouched.error().sentence;
  EXPECT_TRUE(vouched->vouches.front().agrees);
  EXPECT_EQ(recorded("next.img"), next);
}

// The same bytes again, with a checksum that the first time did not need.
TEST_F(LateDigestsTest, TheSameBytesAgainBringWhatIsMissing) {
  ASSERT_TRUE(take_in("large.img", large_));
  const auto again = take_in("large.img", large_, "md5:" + all_.md5);
  ASSERT_TRUE(again) << again.error().sentence;
  EXPECT_EQ(repository_->catalog.find("large.img")->vouching, catalog::Vouching::kWeakly);
  EXPECT_EQ(recorded().md5, all_.md5);
}

TEST_F(LateDigestsTest, NobodyIsToldThatAChecksumIsUnknownBeforeItWasComputed) {
  ASSERT_TRUE(take_in("large.img", large_));
  const auto md5 = *crypto::Expected::parse(all_.md5);
  ASSERT_FALSE(repository_->catalog.with_checksum(md5));
  EXPECT_EQ(repository_->catalog.with_checksum(md5).error().kind, Kind::kBusy);
  EXPECT_EQ(desk::find_anything(*repository_, all_.md5, 5).error().sentence,
            "the MD5 of 'large.img' is still being computed; ask again in a minute");
  EXPECT_EQ(desk::find_anything(*repository_, all_.sha256, 5)->front().name, "large.img");
  ASSERT_TRUE(compute());
  EXPECT_EQ((*repository_->catalog.with_checksum(md5))->name, "large.img");
  EXPECT_FALSE(*repository_->catalog.with_checksum(
      *crypto::Expected::parse(digests_of("unknown").md5)));
}

// What the record would say must be about the bytes that arrived.
TEST_F(LateDigestsTest, DamagedBytesGetNoDigestsButGoToQuarantine) {
  ASSERT_TRUE(take_in("large.img", large_));
  ::chmod(vault_path(all_.sha256).c_str(), 0644);
  fakes::write_file(vault_path(all_.sha256), large_.substr(1) + "x");
  const auto done = repository_->missing_digests.complete(all_.sha256);
  ASSERT_FALSE(done);
  EXPECT_EQ(done.error().kind, Kind::kCorrupt);
  EXPECT_EQ(recorded(), at_once_);
  EXPECT_FALSE(repository_->catalog.find("large.img")->whole);
  EXPECT_TRUE(repository_->missing_digests.some(9)->empty());
  // The same bytes again mend it, and the digests follow.
  ASSERT_TRUE(take_in("large.img", large_));
  ASSERT_TRUE(compute());
  EXPECT_EQ(recorded(), all_);
}

TEST_F(LateDigestsTest, AStopKeepsNobodyWaiting) {
  auto image = take_in("large.img", large_)->image;
  repository_->missing_digests.give_up();
  const auto done =
      repository_->missing_digests.complete(image, {*crypto::Expected::parse(all_.md5)});
  ASSERT_FALSE(done);
  EXPECT_EQ(done.error().sentence, "the server is being stopped");
  EXPECT_EQ(recorded(), at_once_);
}

TEST_F(LateDigestsTest, ManyThatNeedThemAtOnceAllGetThem) {
  auto image = take_in("large.img", large_)->image;
  std::vector<std::thread> threads;
  std::atomic<int> right = 0;
  for (int i = 0; i < 8; ++i) {
    threads.emplace_back([&, own = image]() mutable {
      const auto done = repository_->missing_digests.complete(
          own, {*crypto::Expected::parse(all_.md5)});
      right += done && own.digests == all_ ? 1 : 0;
    });
  }
  for (auto& one : threads) one.join();
  EXPECT_EQ(right, 8);
  // Recorded once: each record would be a change that others follow.
  std::size_t changes = 0;
  const auto log = repository_->change_log.after(0, 100);
  for (const auto& one : *log) changes += one.kind == catalog::kImageChanged ? 1 : 0;
  EXPECT_EQ(changes, 2u);
}

}  // namespace
}  // namespace vantro::upkeep
