#include "manage/door.h"

#include <gtest/gtest.h>

#include "crypto/certificate.h"
#include "desk/people.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::manage {
namespace {

net::http::Head head(const std::string& method,
                     std::vector<std::pair<std::string, std::string>> fields) {
  net::http::Head made;
  made.method = method;
  made.fields = std::move(fields);
  return made;
}

class DoorTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    mistakes_.emplace(clock_);
    DoorConfig config;
    config.names = {"vantro.example", "203.0.113.5"};
    door_.emplace(*repository_, *mistakes_, config);
    way_.peer = *base::Address::parse("192.0.2.7");
    way_.local = *base::Address::parse("192.0.2.10");
    way_.over_tls = true;
  }
  // 0: it may come this way.
  int status(const std::string& method,
             std::vector<std::pair<std::string, std::string>> fields) const {
    const auto turned = door_->turns_away(head(method, std::move(fields)), way_);
    return turned ? turned->status : 0;
  }

  std::optional<auth::Mistakes> mistakes_;
  std::optional<Door> door_;
  Way way_;
};

TEST_F(DoorTest, AnswersOnlyToNamesOfThisServer) {
  for (const auto* known : {"vantro.example", "VANTRO.example.:7443", "192.0.2.10",
                            "192.0.2.10:7443", "localhost", "203.0.113.5:7443"}) {
    EXPECT_EQ(status("GET", {{"host", known}}), 0) << known;
  }
  // Loopback's are not where it was asked at.
  for (const auto* foreign : {"", "evil.example", "vantro.example.evil.example",
                              "192.0.2.11", "127.0.0.1", "[::1]:7443"}) {
    EXPECT_EQ(status("GET", {{"host", foreign}}), 421) << foreign;
  }
  way_.local = way_.peer = *base::Address::parse("127.0.0.1");
  EXPECT_EQ(status("GET", {{"host", "127.0.0.1:7070"}}), 0);
  way_.on_local_socket = true;
  EXPECT_EQ(status("GET", {{"host", "anything"}}), 0);
}

TEST_F(DoorTest, RefusesCallsOfOtherSites) {
  const std::pair<std::string, std::string> host{"host", "vantro.example"};
  EXPECT_EQ(status("POST", {host, {"origin", "https://vantro.example"}}), 0);
  for (const auto* origin :
       {"http://vantro.example", "https://evil.example", "null",
        "https://vantro.example.evil.example", "https://vantro.example:8443"}) {
    EXPECT_EQ(status("GET", {host, {"origin", origin}}), 403) << origin;
  }
  EXPECT_EQ(status("GET", {host, {"sec-fetch-site", "same-origin"}}), 0);
  EXPECT_EQ(status("GET", {host, {"sec-fetch-site", "none"}}), 0);
  EXPECT_EQ(status("GET", {host, {"sec-fetch-site", "cross-site"}}), 403);
  EXPECT_EQ(status("GET", {host, {"sec-fetch-site", "same-site"}}), 403);
  // A cookie comes by itself: who sent the call must be known from something else.
  const std::pair<std::string, std::string> cookie{"cookie", "vantro-session=x"};
  EXPECT_EQ(status("POST", {host, cookie}), 403);
  EXPECT_EQ(status("POST", {host, cookie, {"sec-fetch-site", "same-origin"}}), 0);
  EXPECT_EQ(status("GET", {host, cookie}), 0);
  EXPECT_EQ(status("POST", {host, {"authorization", "Bearer x"}}), 0);
}

TEST_F(DoorTest, KnowsCallersAndSlowsDownThoseWhoGuess) {
  desk::People people(*repository_, operator_);
  desk::PersonChange look;
  look.role = auth::Role::kLook;
  ASSERT_TRUE(people.add("anna", look));
  const auto token = people.add_token("anna", "laptop", std::nullopt);
  const auto by = [&](const std::string& name, const std::string& value) {
    const auto caller = door_->known(head("GET", {{name, value}}), way_);
    return caller ? caller->name + " from " + caller->from : caller.error().sentence;
  };
  EXPECT_EQ(by("authorization", "Bearer " + token->text), "anna from 192.0.2.7");
  EXPECT_EQ(by("cookie", "a=b; vantro-session=" + token->text + "; c=d"),
            "anna from 192.0.2.7");
  EXPECT_NE(by("authorization", "Basic x").find("no token was sent"), std::string::npos);
  for (int i = 0; i < auth::Mistakes::kFree; ++i) {
    EXPECT_NE(by("authorization", "Bearer guess").find("unknown token;"),
              std::string::npos);
  }
  EXPECT_EQ(by("authorization", "Bearer guess"),
            "too many wrong tokens from 192.0.2.7; try again in 5.0 s");
  // Who has a right one is not kept out by somebody who guesses beside them.
  EXPECT_EQ(by("authorization", "Bearer " + token->text), "anna from 192.0.2.7");
  const auto rows = repository_->ledger.newest(10, {}, {.events = {"token-check"}});
  EXPECT_EQ(rows->size(), static_cast<std::size_t>(auth::Mistakes::kFree));
}

TEST_F(DoorTest, LogsInWithAPasswordAndRecordsWhoCouldNot) {
  desk::People people(*repository_, operator_);
  desk::PersonChange wanted;
  wanted.password = "right-pass";
  wanted.role = auth::Role::kOperate;
  ASSERT_TRUE(people.add("anna", wanted));
  EXPECT_FALSE(door_->log_in("anna", "wrong-pass", way_));
  EXPECT_FALSE(door_->log_in("right-pass", "anna", way_));
  // Refusals are gathered, log-ins written at once: here in their order.
  ASSERT_TRUE(repository_->ledger.flush());
  const auto in = door_->log_in("Anna", "right-pass", way_);
  ASSERT_TRUE(in) << in.error().sentence;
  EXPECT_EQ(door_->me(in->caller).known_by, "log-in");
  const auto caller =
      door_->known(head("GET", {{"authorization", "Bearer " + in->token}}), way_);
  ASSERT_TRUE(caller);
  EXPECT_EQ(caller->powers.role, auth::Role::kOperate);
  const auto rows = repository_->ledger.newest(10, {}, {.events = {"log-in"}});
  ASSERT_EQ(rows->size(), 3u);
  // Whatever was typed as a name may have been the password.
  std::string told;
  for (const auto& one : *rows) told += one.actor + " " + one.outcome + "\n";
  EXPECT_EQ(told, "anna done\nsomebody refused\nanna refused\n");
  EXPECT_EQ(door_->cookie("x", true),
            "vantro-session=x; Path=/; HttpOnly; SameSite=Strict; Secure");
  // Whoever guesses on has to wait, and that costs no rows.
  for (int i = 0; i < 20; ++i) (void)door_->log_in("anna", "guess", way_);
  EXPECT_LE(repository_->ledger.newest(30, {}, {.events = {"log-in"}})->size(), 9u);
  clock_.advance(auth::Mistakes::kLongestWait + std::chrono::seconds(1));
  desk::PersonChange off;
  off.on = false;
  ASSERT_TRUE(people.change("anna", off));
  EXPECT_EQ(door_->log_in("anna", "right-pass", way_).error().kind, base::Kind::kDenied);
}

TEST_F(DoorTest, KnowsTheUserThatItRunsAsWithoutASetting) {
  KnownHere here({}, clock_);
  const auto own = here.by_user(::geteuid());
  ASSERT_TRUE(own);
  EXPECT_EQ(own->powers.text(), "administer, with secrets, push");
  const auto nobody = here.by_user(65534);
  ASSERT_FALSE(nobody);
  EXPECT_NE(
      nobody.error().sentence.find("may not manage this server; there are no groups "
                                   "in the settings (management.group)"),
      std::string::npos)
      << nobody.error().sentence;
  KnownHere grouped({{"nogroup", {auth::Role::kLook, {}}}}, clock_);
  const auto member = grouped.by_user(65534);
  ASSERT_TRUE(member) << member.error().sentence;
  EXPECT_EQ(member->name, "nobody");
  EXPECT_EQ(member->powers.text(), "look");
  EXPECT_FALSE(grouped.by_name("no-such-user"));
  // A password from elsewhere makes nobody root.
  EXPECT_FALSE(grouped.by_name("root"));
}

TEST(OwnCertificate, IsForItsNamesAndAddresses) {
  const fakes::ScratchFolder scratch;
  const auto made = crypto::make_certificate(
      {"vantro.example", "depot"},
      {*base::Address::parse("192.0.2.10"), *base::Address::parse("2001:db8::10")},
      1'795'400'047'120);
  ASSERT_TRUE(made);
  const auto file = scratch / "certificate.pem";
  fakes::write_file(file, made->certificate);
  const auto facts = crypto::certificate_facts(file);
  ASSERT_TRUE(facts);
  EXPECT_EQ(facts->subject, "vantro.example");
  EXPECT_LT(facts->good_from, 1'795'400'047'120);
  EXPECT_GT(facts->good_until, 1'795'400'047'120 + 3000 * 86'400'000LL);
  EXPECT_EQ(facts->fingerprint.size(), 95u);
  for (const auto* name : {"vantro.example", "depot", "192.0.2.10", "2001:db8::10"}) {
    EXPECT_TRUE(crypto::certificate_is_for(file, name)) << name;
  }
  EXPECT_FALSE(crypto::certificate_is_for(file, "other.example"));
  EXPECT_FALSE(crypto::certificate_is_for(file, "192.0.2.11"));
  EXPECT_FALSE(crypto::certificate_facts(scratch / "none"));
}

}  // namespace
}  // namespace vantro::manage
