#include "auth/log_ins.h"

#include <gtest/gtest.h>

#include "crypto/password.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::auth {
namespace {

using namespace std::chrono_literals;

class LogInsTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    Account account;
    account.name = "night";
    account.hash = crypto::password_hash("right-pass");
    save(account, true);
    log_ins_.emplace(
        [this](std::string_view typed) -> std::optional<LogIns::Holder> {
          const auto name = account_name(typed);
          const auto found =
              name ? repository_->snapshot()->accounts->find(*name) : nullptr;
          if (!found) return std::nullopt;
          return LogIns::Holder{found->name, found->hash, found->changed_at};
        },
        mistakes_, clock_);
  }
  void save(const Account& account, bool fresh) {
    ASSERT_TRUE(
        repository_->database->write([&](db::Transaction& t) -> base::Outcome<void> {
          return fresh ? Accounts::add(t, account) : Accounts::change(t, account);
        }));
  }
  std::string tried(const std::string& password, const std::string& name = "night",
                    const std::string& from = "192.0.2.7") {
    const auto account = log_ins_->check(*base::Address::parse(from), name, password);
    return account ? *account : account.error().sentence;
  }

  Mistakes mistakes_{clock_};
  std::optional<LogIns> log_ins_;
};

TEST_F(LogInsTest, TakeTheRightPasswordAndDoNotTellWhatIsWrong) {
  EXPECT_EQ(tried("right-pass"), "night");
  EXPECT_EQ(tried("right-pass", "NIGHT"), "night");
  EXPECT_EQ(tried("wrong-pass"), "the name or its password is wrong");
  EXPECT_EQ(tried("right-pass", "day"), "the name or its password is wrong");
  EXPECT_EQ(tried("", "anonymous"), "the name or its password is wrong");
  EXPECT_EQ(tried("x", "not a name"), "the name or its password is wrong");
}

TEST_F(LogInsTest, RememberWhatWasRightForAWhile) {
  EXPECT_FALSE(log_ins_->remembered("night", "right-pass"));
  tried("right-pass");
  EXPECT_EQ(log_ins_->remembered("Night", "right-pass"), "night");
  EXPECT_FALSE(log_ins_->remembered("night", "wrong-pass"));
  clock_.advance(LogIns::kRemembered + 1s);
  EXPECT_FALSE(log_ins_->remembered("night", "right-pass"));
}

TEST_F(LogInsTest, ForgetAtOnceWhatHasChanged) {
  tried("right-pass");
  EXPECT_EQ(tried("other-pass"), "the name or its password is wrong");
  Account account;
  account.name = "night";
  account.hash = crypto::password_hash("other-pass");
  account.changed_at = 5;
  save(account, false);
  EXPECT_FALSE(log_ins_->remembered("night", "right-pass"));
  EXPECT_EQ(tried("right-pass"), "the name or its password is wrong");
  EXPECT_EQ(tried("other-pass"), "night");
}

TEST_F(LogInsTest, LetWhoIsWrongAgainAndAgainWait) {
  for (int i = 0; i < Mistakes::kFree; ++i) tried("wrong-pass");
  EXPECT_EQ(tried("right-pass"),
            "too many wrong passwords from 192.0.2.7; try again in 5.0 s");
  EXPECT_EQ(tried("right-pass", "night", "192.0.2.8"), "night");
  clock_.advance(6s);
  EXPECT_EQ(tried("wrong-pass"), "the name or its password is wrong");
  EXPECT_EQ(tried("right-pass"),
            "too many wrong passwords from 192.0.2.7; try again in 10 s");
  clock_.advance(11s);
  EXPECT_EQ(tried("right-pass"), "night");
  EXPECT_EQ(tried("wrong-pass"), "the name or its password is wrong");
  EXPECT_EQ(tried("right-pass"), "night");
}

// One host has as many addresses of its IPv6 network as it likes.
TEST_F(LogInsTest, CountAnIpv6NetworkAsWellAsItsAddresses) {
  for (int i = 0; i < Mistakes::kFreeOfMany; ++i) {
    tried("wrong-" + std::to_string(i), "name-" + std::to_string(i),
          "fd00::" + std::to_string(i + 1));
  }
  EXPECT_EQ(tried("right-pass", "night", "fd00::ffff"),
            "too many wrong passwords from fd00::/64; try again in 5.0 s");
  EXPECT_EQ(tried("right-pass", "night", "fd00:0:0:1::1"), "night");
}

TEST_F(LogInsTest, CountTheNameWhereverItIsTriedFrom) {
  EXPECT_EQ(tried("right-pass", "night", "203.0.113.9"), "night");
  for (int i = 0; i < Mistakes::kFreeOfMany; ++i) {
    tried("wrong-" + std::to_string(i), "Night", "192.0.2." + std::to_string(i));
  }
  EXPECT_EQ(tried("right-pass", "night", "198.51.100.1"),
            "too many wrong passwords for this name; try again in 5.0 s");
  // Guessing elsewhere must not keep out who was right before.
  EXPECT_EQ(tried("right-pass", "night", "203.0.113.9"), "night");
  // It is not told whether there is such a name.
  for (int i = 0; i < Mistakes::kFreeOfMany; ++i) {
    tried("wrong-" + std::to_string(i), "nobody", "192.0.3." + std::to_string(i));
  }
  EXPECT_EQ(tried("x", "nobody", "198.51.100.2"),
            "too many wrong passwords for this name; try again in 5.0 s");
}

}  // namespace
}  // namespace vantro::auth
