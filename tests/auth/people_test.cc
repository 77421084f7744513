#include "auth/people.h"

#include <gtest/gtest.h>

#include "desk/people.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::auth {
namespace {

using namespace std::chrono_literals;

constexpr base::WallTime kDay = 86'400'000;

class PeopleTest : public fakes::RepositoryFixture {
 protected:
  desk::People by(const std::string& name, Role role = Role::kAdminister) {
    return {*repository_, desk::Caller{name, {role, {}}, "192.0.2.7"}};
  }
  desk::People boss() { return by("boss"); }
  void add(const std::string& name, Role role,
           std::optional<base::WallTime> until = std::nullopt) {
    desk::PersonChange wanted;
    wanted.role = role;
    if (until) wanted.until = until;
    const auto added = boss().add(name, wanted);
    ASSERT_TRUE(added) << added.error().sentence;
  }
  std::string token(const std::string& of, const std::string& label = "laptop",
                    std::optional<base::WallTime> until = std::nullopt) {
    const auto made = boss().add_token(of, label, until);
    EXPECT_TRUE(made) << made.error().sentence;
    return made ? made->text : "";
  }
  // "anna may operate", or the refusal.
  std::string who(const std::string& text) {
    const auto found = repository_->snapshot()->people->who(text, clock_.wall());
    return found ? found->name + " may " + found->powers.text() : found.error().sentence;
  }
};

TEST_F(PeopleTest, AreKnownByTokensOfWhichOnlyADigestIsKept) {
  add("Anna", Role::kOperate);
  const auto text = token("anna");
  EXPECT_EQ(who(text), "anna may operate");
  const auto tokens = repository_->people.tokens("anna");
  ASSERT_EQ(tokens->size(), 1u);
  EXPECT_NE(tokens->front().digest, text);
  EXPECT_EQ(fakes::read_file(repository_->folder.path() + "/vantro.db").find(text),
            std::string::npos);
  EXPECT_EQ(fakes::read_file(repository_->folder.path() + "/vantro.db-wal").find(text),
            std::string::npos);
}

TEST_F(PeopleTest, EachBadTokenIsToldWithWhatToDo) {
  add("anna", Role::kOperate);
  EXPECT_EQ(who("foreign"),
            "unknown token; it may be incomplete, or belong to another server. Store the "
            "right one with 'vantro login URL'");
  EXPECT_EQ(who(""), who("foreign"));
  EXPECT_EQ(who(std::string(300, 'x')),
            "the token has 300 bytes, limit 256; send only the token");
  const auto short_lived = token("anna", "phone", clock_.wall() + kDay);
  const auto laptop = token("anna");
  EXPECT_EQ(who(short_lived), "anna may operate");
  clock_.advance(25h);
  EXPECT_NE(who(short_lived).find("the token 'phone' of 'anna' ended on "),
            std::string::npos)
      << who(short_lived);
  EXPECT_NE(who(short_lived).find("vantro token change phone --by anna"),
            std::string::npos);
  EXPECT_EQ(who(laptop), "anna may operate");
  // Renewed it is good again; with another text the old one is not.
  ASSERT_TRUE(boss().renew("anna", "phone", std::nullopt, false));
  EXPECT_EQ(who(short_lived), "anna may operate");
  const auto replaced = boss().renew("anna", "phone", std::nullopt, true);
  ASSERT_TRUE(replaced);
  EXPECT_EQ(who(short_lived), who("foreign"));
  EXPECT_EQ(who(replaced->text), "anna may operate");
  ASSERT_TRUE(boss().revoke("anna", "laptop"));
  EXPECT_NE(who(laptop).find("the token 'laptop' of 'anna' was revoked on "),
            std::string::npos)
      << who(laptop);
  desk::PersonChange off;
  off.on = false;
  ASSERT_TRUE(boss().change("anna", off));
  EXPECT_EQ(
      who(replaced->text),
      "'anna' is switched off; ask an administrator: vantro person change anna --on");
  add("olaf", Role::kLook, clock_.wall() + kDay);
  const auto olafs = token("olaf");
  clock_.advance(25h);
  EXPECT_NE(who(olafs).find("'olaf' expired on "), std::string::npos);
}

TEST_F(PeopleTest, TheLastWhoMayAdministerStays) {
  add("first", Role::kAdminister);
  add("second", Role::kAdminister, clock_.wall() + kDay);
  desk::PersonChange look;
  look.role = Role::kLook;
  ASSERT_TRUE(boss().change("first", look));
  const std::string refused =
      "'second' is the last administrator; give another person that role first: "
      "vantro person add NAME --role administer";
  EXPECT_EQ(boss().change("second", look).error().sentence, refused);
  EXPECT_EQ(boss().remove("second").error().sentence, refused);
  desk::PersonChange off;
  off.on = false;
  EXPECT_EQ(boss().change("second", off).error().sentence, refused);
  // What takes nothing away is let.
  desk::PersonChange remarks;
  remarks.remarks = "on call";
  EXPECT_TRUE(boss().change("second", remarks));
  add("third", Role::kAdminister);
  EXPECT_TRUE(boss().remove("second"));
}

TEST_F(PeopleTest, WhoWereThereOnceAreNotMadeAgainOfOldFiles) {
  EXPECT_EQ(repository_->people.any_ever(), false);
  add("anna", Role::kLook);
  EXPECT_EQ(repository_->people.any_ever(), true);
  token("anna");
  ASSERT_TRUE(boss().remove("anna"));
  EXPECT_EQ(repository_->people.any_ever(), true);
}

TEST_F(PeopleTest, SeeToTheirOwnTokensAndToThoseOfNobodyElse) {
  add("anna", Role::kLook);
  add("olaf", Role::kLook);
  auto anna = by("anna", Role::kLook);
  EXPECT_TRUE(anna.add_token("", "laptop", std::nullopt));
  EXPECT_EQ(anna.add_token("anna", "laptop", std::nullopt).error().kind,
            base::Kind::kExists);
  EXPECT_EQ(anna.tokens("anna")->size(), 1u);
  EXPECT_EQ(anna.add_token("olaf", "x", std::nullopt).error().sentence,
            "only 'olaf' and administrators may manage these tokens; 'anna' has the role "
            "'look'");
  EXPECT_FALSE(anna.tokens("olaf"));
  EXPECT_FALSE(anna.revoke("olaf", "x"));
  EXPECT_EQ(anna.revoke("", "lap-top").error().sentence,
            "'anna' has no token 'lap-top'; 'vantro token list --by anna' shows all");
  EXPECT_TRUE(anna.revoke("", "laptop"));
  EXPECT_EQ(anna.add_token("", "", std::nullopt).error().kind, base::Kind::kInvalid);
  EXPECT_EQ(anna.add_token("", "past", clock_.wall() - 1).error().kind,
            base::Kind::kInvalid);
  // A label is free again once its token has ended.
  EXPECT_TRUE(anna.add_token("", "laptop", std::nullopt));
}

TEST_F(PeopleTest, AreCalledWhatTheLedgerCanTellApart) {
  for (const auto* name : {"192.0.2.7", "::1", "server", "anonymous", "", "an na", "ä"}) {
    EXPECT_FALSE(person_name(name)) << name;
  }
  EXPECT_EQ(person_name("Anna.B-2_c"), "anna.b-2_c");
  EXPECT_FALSE(parse_role("root"));
  EXPECT_FALSE(parse_rights("secrets,all"));
  EXPECT_EQ(rights_text(*parse_rights("push, secrets")), "secrets, push");
}

TEST_F(PeopleTest, WhatIsDoneStandsInTheLedgerWithWhoDidItAndFromWhere) {
  add("anna", Role::kOperate);
  token("anna");
  const auto rows = repository_->ledger.newest(10, {}, {.by = "boss"});
  ASSERT_EQ(rows->size(), 2u);
  EXPECT_EQ(rows->front().event, "token-add");
  EXPECT_EQ(rows->front().from, "192.0.2.7");
  EXPECT_EQ(rows->back().sentence, "may operate, without an end");
}

TEST_F(PeopleTest, ALogInEndsWithTheTokenThatItWasMadeWith) {
  add("anna", Role::kOperate);
  auto anna = by("anna", Role::kOperate);
  const auto log_in = [&](const std::string& token) {
    const auto known = repository_->snapshot()->people->who(token, clock_.wall());
    return anna.log_in("anna", clock_.wall() + kDay, std::nullopt, known->token)->text;
  };
  const auto laptop = anna.add_token("anna", "laptop", std::nullopt)->text;
  const auto desk = anna.add_token("anna", "desk", std::nullopt)->text;
  const auto of_laptop = log_in(laptop);
  const auto of_desk = log_in(desk);
  ASSERT_TRUE(anna.revoke("anna", "laptop"));
  EXPECT_NE(who(of_laptop).find("was revoked on "), std::string::npos);
  EXPECT_EQ(who(of_desk), "anna may operate");
  // For longer it stays; with another text it ends.
  ASSERT_TRUE(anna.renew("anna", "desk", clock_.wall() + kDay, false));
  EXPECT_EQ(who(of_desk), "anna may operate");
  ASSERT_TRUE(anna.renew("anna", "desk", std::nullopt, true));
  EXPECT_NE(who(of_desk).find("was revoked on "), std::string::npos);
}

TEST_F(PeopleTest, ALogInEndsAndIsNoToken) {
  add("anna", Role::kOperate);
  auto anna = by("anna", Role::kOperate);
  const auto session = anna.log_in("anna", clock_.wall() + kDay, std::nullopt, 0);
  ASSERT_TRUE(session);
  EXPECT_EQ(who(session->text), "anna may operate");
  desk::Caller caller{"anna", {Role::kOperate, {}}, "192.0.2.7", session->token.id};
  ASSERT_TRUE(desk::People(*repository_, caller).log_out());
  EXPECT_NE(who(session->text).find("the log-in of 'anna' was revoked on "),
            std::string::npos);
  const auto other = anna.log_in("anna", clock_.wall() + kDay, std::nullopt, 0);
  ASSERT_TRUE(other);
  const auto laptop = token("anna");
  desk::PersonChange password;
  password.password = "another-pass";
  ASSERT_TRUE(boss().change("anna", password));
  EXPECT_NE(who(other->text).find("was revoked on "), std::string::npos);
  EXPECT_EQ(who(laptop), "anna may operate");
  // Of one whom another system vouches for: what it said counts.
  const auto guest = anna.log_in("guest", clock_.wall() + kDay,
                                 Powers{Role::kLook, {Right::kSecrets}}, 0);
  ASSERT_TRUE(guest);
  EXPECT_EQ(who(guest->text), "guest may look, with secrets");
  // A record in their name counts instead.
  add("guest", Role::kOperate);
  EXPECT_EQ(who(guest->text), "guest may operate");
  ASSERT_TRUE(boss().change("guest", {.role = {},
                                      .rights = {},
                                      .password = {},
                                      .until = {},
                                      .on = false,
                                      .remarks = {}}));
  EXPECT_NE(who(guest->text).find("is switched off"), std::string::npos);
  clock_.advance(1s);
  clock_.advance(25h);
  EXPECT_NE(who(guest->text).find("the log-in of 'guest' ended on "), std::string::npos);
  ASSERT_TRUE(repository_->people.sweep(clock_.wall() + 31 * kDay));
  EXPECT_EQ(repository_->people.tokens("")->size(), 1u);
}

}  // namespace
}  // namespace vantro::auth
