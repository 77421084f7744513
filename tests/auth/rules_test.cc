#include "auth/rules.h"

#include <gtest/gtest.h>

namespace vantro::auth {
namespace {

class RulesTest : public testing::Test {
 protected:
  // "open", or the kind and the sentence of the refusal.
  std::string decided(const Account& account, Action action, const std::string& from,
                      const std::string& over, const std::string& name = "x.img") {
    const auto address = *base::Address::parse(from);
    const auto allowed = decide(rules_, {account, action, name, address, over, now_});
    if (allowed) return "open";
    return std::string(base::word(allowed.error().kind)) + ": " +
           allowed.error().sentence;
  }
  static Account anonymous() {
    Account account;
    account.name = kAnonymous;
    return account;
  }
  static Account named(const std::string& may = "fetch, deposit") {
    Account account;
    account.name = "night";
    account.may = *parse_actions(may);
    return account;
  }
  static Networks networks(const std::string& text) { return *Networks::parse(text); }

  std::vector<Rule> rules_ = default_rules();
  base::WallTime now_ = 1000;
};

TEST_F(RulesTest, OpenTheNearNetworksAndNothingElse) {
  for (const auto action : {Action::kFetch, Action::kDeposit, Action::kList}) {
    EXPECT_EQ(decided(anonymous(), action, "10.0.0.7", "tftp"), "open");
    EXPECT_EQ(decided(anonymous(), action, "::1", "http"), "open");
    EXPECT_EQ(decided(named(), action, "192.168.1.1", "https"), "open");
  }
  EXPECT_EQ(decided(anonymous(), Action::kFetch, "203.0.113.9", "http"),
            "denied: fetching is not open to 203.0.113.9 over http");
  EXPECT_EQ(decided(named(), Action::kDeposit, "203.0.113.9", "https"),
            "denied: sending a backup is not open to 203.0.113.9 over https");
}

TEST_F(RulesTest, AskForAnAccountWhereOneWouldDo) {
  EXPECT_EQ(decided(anonymous(), Action::kHandIn, "10.0.0.7", "http"),
            "account-needed: handing an image in without an account is not allowed; log "
            "in with an account that may");
  EXPECT_EQ(decided(anonymous(), Action::kHandIn, "10.0.0.7", "tftp"),
            "denied: handing an image in needs an account, and tftp carries none");
  EXPECT_EQ(decided(named("fetch"), Action::kHandIn, "10.0.0.7", "http"),
            "denied: handing an image in with account 'night' is not allowed");
  EXPECT_EQ(decided(named("hand-in"), Action::kHandIn, "10.0.0.7", "http"), "open");
  // Over SSH there is nothing without one.
  EXPECT_EQ(decided(anonymous(), Action::kFetch, "10.0.0.7", "scp"),
            "account-needed: fetching needs an account; log in with an account that may");
  EXPECT_EQ(decided(named(), Action::kFetch, "10.0.0.7", "sftp"), "open");
  rules_ = {{networks("everywhere"), {Action::kFetch}, {}, true}};
  EXPECT_EQ(decided(anonymous(), Action::kFetch, "203.0.113.9", "http"),
            "account-needed: fetching needs an account; log in with an account that may");
  EXPECT_EQ(decided(anonymous(), Action::kFetch, "203.0.113.9", "tftp"),
            "denied: fetching needs an account, and tftp carries none");
}

TEST_F(RulesTest, HoldForTheirProtocolsOnly) {
  rules_ = {{networks("loopback"), {Action::kFetch}, {"https"}, false}};
  EXPECT_EQ(decided(anonymous(), Action::kFetch, "127.0.0.1", "https"), "open");
  EXPECT_EQ(decided(anonymous(), Action::kFetch, "127.0.0.1", "http"),
            "denied: fetching is not open to 127.0.0.1 over http");
}

// What the account is limited to narrows what the rules open, one by one.
TEST_F(RulesTest, AreNarrowedByTheAccount) {
  auto account = named();
  account.on = false;
  EXPECT_EQ(decided(account, Action::kFetch, "10.0.0.7", "http"),
            "denied: fetching with account 'night' is switched off");
  account = named();
  account.until = 1000;
  EXPECT_EQ(decided(account, Action::kFetch, "10.0.0.7", "http").substr(0, 42),
            "denied: fetching with account 'night' ende");
  account.until = 1001;
  EXPECT_EQ(decided(account, Action::kFetch, "10.0.0.7", "http"), "open");
  account.networks = networks("10.0.0.0/24");
  EXPECT_EQ(decided(account, Action::kFetch, "10.0.0.7", "http"), "open");
  EXPECT_EQ(decided(account, Action::kFetch, "10.0.1.7", "http"),
            "denied: fetching with account 'night' is allowed only from 10.0.0.0/24");
  account.part = "north";
  EXPECT_EQ(decided(account, Action::kFetch, "10.0.0.7", "http", "north/x.img"), "open");
  EXPECT_EQ(decided(account, Action::kFetch, "10.0.0.7", "http", "northern.img"),
            "denied: fetching with account 'night' is allowed only in 'north/'");
  EXPECT_EQ(decided(account, Action::kList, "10.0.0.7", "http", "north"), "open");
  EXPECT_EQ(decided(account, Action::kList, "10.0.0.7", "http", ""),
            "denied: the list of what is on offer with account 'night' is allowed only "
            "in 'north/'");
}

TEST_F(RulesTest, LetTheAnonymousAccountBeSwitchedOff) {
  auto nobody = anonymous();
  nobody.on = false;
  EXPECT_EQ(decided(nobody, Action::kFetch, "10.0.0.7", "http"),
            "account-needed: fetching without an account is switched off; log in with an "
            "account that may");
  EXPECT_EQ(decided(nobody, Action::kFetch, "10.0.0.7", "tftp"),
            "denied: fetching without an account is switched off");
}

// No account may do by itself what no rule opens: all combinations of one right with one
// action, where nothing is open.
TEST_F(RulesTest, OpenNothingByTheAccountAlone) {
  rules_.clear();
  for (const auto right :
       {Action::kFetch, Action::kDeposit, Action::kReadBack, Action::kHandIn}) {
    for (const auto action : {Action::kFetch, Action::kDeposit, Action::kList,
                              Action::kReadBack, Action::kHandIn}) {
      EXPECT_NE(decided(named(word(right)), action, "127.0.0.1", "https"), "open");
    }
  }
}

std::string lines(const std::vector<Opening>& openings) {
  std::string text;
  for (const auto& one : openings) {
    text += one.from + ": " + one.may + " over " + one.over +
            (one.needs_account ? " with account\n" : "\n");
  }
  return text;
}

TEST_F(RulesTest, AreToldInLines) {
  EXPECT_EQ(lines(openings(rules_, anonymous(), {"tftp", "http"})),
            "private, loopback: fetch, deposit, list over tftp, http\n"
            "private, loopback: read-back, hand-in over http with account\n");
  auto limited = anonymous();
  limited.may = {Action::kFetch};
  EXPECT_EQ(lines(openings(rules_, limited, {"tftp", "http"})),
            "private, loopback: fetch, list over tftp, http\n"
            "private, loopback: deposit, read-back, hand-in over http with account\n");
  EXPECT_EQ(lines(openings(rules_, anonymous(), {"tftp", "http", "scp"})),
            "private, loopback: fetch, deposit, list over tftp, http\n"
            "private, loopback: fetch, deposit, list over scp with account\n"
            "private, loopback: read-back, hand-in over http, scp with account\n");
  EXPECT_EQ(lines(openings(rules_, limited, {"tftp"})),
            "private, loopback: fetch, list over tftp\n");
}

}  // namespace
}  // namespace vantro::auth
