// What was not verified for long is verified before a device gets it.
#include "gate/verify_first.h"

#include <future>
#include <sys/stat.h>

#include "desk/accounts.h"
#include "gate/workings.h"
#include "tests/fakes/eventually.h"
#include "tests/fakes/few_descriptors.h"
#include "tests/fakes/repository_fixture.h"
#include "upkeep/verify.h"

namespace vantro::gate {
namespace {

using std::chrono::hours;

class VerifyFirstTest : public fakes::RepositoryFixture {
 protected:
  VerifyFirstTest() { config_.unverified_for = hours(24 * 45); }

  // As the protocols do it: whether it had to be verified before.
  bool wait_for(const std::string& name) { return wait_for(name, device("192.0.2.7")); }
  bool wait_for(const std::string& name, const Asker& asker) {
    std::promise<void> told;
    if (!gate_->verify_first(asker, name, [&] { told.set_value(); })) {
      return false;
    }
    told.get_future().wait();
    return true;
  }
  void damage(const std::string& sha256, const std::string& bytes) {
    ::chmod(vault_path(sha256).c_str(), 0644);
    fakes::write_file(vault_path(sha256), bytes);
  }
  std::string sha256_of(const std::string& name) {
    return repository_->catalog.find(name)->digests.sha256;
  }
};

TEST_F(VerifyFirstTest, OnlyWhatWasNotReadForLongIsVerified) {
  ASSERT_TRUE(take_in("x.img", "image"));
  clock_.advance(hours(24 * 45) - hours(1));
  EXPECT_FALSE(wait_for("x.img"));
  EXPECT_EQ(fetch("x.img"), "image");
  clock_.advance(hours(1));
  EXPECT_TRUE(wait_for("x.img"));
  EXPECT_EQ(fetch("x.img"), "image");
  // It is on record, and once is enough.
  EXPECT_EQ(repository_->catalog.find("x.img")->read_at, clock_.wall());
  EXPECT_FALSE(wait_for("x.img"));
  EXPECT_FALSE(wait_for("no such thing"));
  EXPECT_FALSE(wait_for("x.img.sha256"));
}

// Whoever forgets to wait gets nothing that was not verified.
TEST_F(VerifyFirstTest, TheDoorStaysShutMeanwhile) {
  ASSERT_TRUE(take_in("x.img", "image"));
  clock_.advance(hours(24 * 60));
  EXPECT_EQ(fetch("x.img"),
            "refused: the server verifies 'x.img' first (0 B of 5 B); ask again in a "
            "minute");
  EXPECT_TRUE(fakes::eventually([&] { return fetch("x.img") == "image"; }));
  EXPECT_TRUE(trouble().empty());
}

TEST_F(VerifyFirstTest, WhatIsDamagedIsNotHandedOut) {
  ASSERT_TRUE(take_in("x.img", "image"));
  damage(sha256_of("x.img"), "imagE");
  // The fetch itself does not look at its bytes.
  EXPECT_EQ(fetch("x.img"), "imagE");
  clock_.advance(hours(24 * 60));
  EXPECT_TRUE(wait_for("x.img"));
  EXPECT_EQ(fetch("x.img"),
            "refused: 'x.img' is damaged on the server's disk and is not handed out; the "
            "operator must add it again");
  EXPECT_FALSE(std::filesystem::exists(vault_path(sha256_of("x.img"))));
  EXPECT_EQ(trouble().size(), 1u);
}

TEST_F(VerifyFirstTest, BackupsAreVerifiedToo) {
  config_.rules.push_back(
      {*auth::Networks::parse("192.0.2.0/24"), {auth::Action::kReadBack}, {}, true});
  reopen();
  desk::AccountChange night;
  night.password = "right-pass";
  night.may = *auth::parse_actions("read-back");
  ASSERT_TRUE(desk::Accounts(*repository_, operator_).add("night", night));
  auto asker = device("192.0.2.7");
  asker.protocol = "ftp";
  asker.account = "night";
  const auto config = deposit("192.0.2.7", "x.cfg", "config")->digests.sha256;
  const auto opened = [&] {
    const auto grant = open_read(asker, "backups/x.cfg");
    return grant ? std::string("opened") : grant.error().sentence;
  };
  clock_.advance(hours(24 * 60));
  EXPECT_TRUE(wait_for("backups/x.cfg", asker));
  EXPECT_EQ(opened(), "opened");
  EXPECT_FALSE(wait_for("backups/x.cfg", asker));
  clock_.advance(hours(24 * 60));
  damage(config, "confiG");
  EXPECT_TRUE(wait_for("backups/x.cfg", asker));
  EXPECT_EQ(opened(), "revision 1 of 'x.cfg' is damaged on the server's disk");
}

// The offers are not read again each time that the verifier has read one.
TEST_F(VerifyFirstTest, WhatTheVerifierHasReadIsNotReadAgain) {
  ASSERT_TRUE(take_in("x.img", "image"));
  clock_.advance(hours(24 * 60));
  upkeep::Verifier verifier(*repository_);
  ASSERT_TRUE(verifier.start({}));
  ASSERT_TRUE(fakes::eventually([&] { return !verifier.progress().running; }));
  damage(sha256_of("x.img"), "imagE");
  // A look into the database, and that is all.
  EXPECT_TRUE(wait_for("x.img"));
  EXPECT_EQ(fetch("x.img"), "imagE");
  EXPECT_FALSE(wait_for("x.img"));
}

TEST_F(VerifyFirstTest, WhatCannotBeReadIsRefusedAndNotTakenForDamage) {
  ASSERT_TRUE(take_in("x.img", "image"));
  clock_.advance(hours(24 * 60));
  {
    const fakes::FewDescriptors none;
    EXPECT_TRUE(wait_for("x.img"));
  }
  EXPECT_EQ(fetch("x.img").substr(0, 9), "refused: ");
  EXPECT_TRUE(trouble().empty());
  EXPECT_TRUE(wait_for("x.img"));
  EXPECT_EQ(fetch("x.img"), "image");
}

TEST_F(VerifyFirstTest, ManyWaitForOneReading) {
  ASSERT_TRUE(take_in("x.img", std::string(3'000'000, 'x')));
  clock_.advance(hours(24 * 60));
  std::atomic<int> told = 0;
  int waiting = 0;
  for (int i = 0; i < 50; ++i) {
    waiting += gate_->verify_first(device("192.0.2.7"), "x.img", [&] { ++told; });
  }
  EXPECT_GT(waiting, 0);
  ASSERT_TRUE(fakes::eventually([&] { return told == waiting; }));
  EXPECT_EQ(fetch("x.img").size(), 3'000'000u);
  gate_->stop_verifying_first();
  EXPECT_EQ(told, waiting);
}

// Else a device would give up without a word.
TEST_F(VerifyFirstTest, WhoHasWaitedLongEnoughIsToldHowFarItIs) {
  ASSERT_TRUE(take_in("x.img", std::string(20'000'000, 'x')));
  clock_.advance(hours(24 * 60));
  Workings workings(*repository_, clock_, log_, config_);
  VerifyFirst impatient(workings, hours(24 * 45), std::chrono::seconds(0));
  const auto found = gate_->find(device("192.0.2.7"), "x.img");
  ASSERT_TRUE(found);
  std::promise<std::string> told;
  impatient.wait(*found,
                 [&] { told.set_value(impatient.allow(*found).error().sentence); });
  EXPECT_EQ(told.get_future().get(),
            "the server verifies 'x.img' first (512.0 KiB of 19.1 MiB); ask again in a "
            "minute");
  EXPECT_TRUE(fakes::eventually([&] { return impatient.allow(*found).has_value(); }));
}

}  // namespace
}  // namespace vantro::gate
