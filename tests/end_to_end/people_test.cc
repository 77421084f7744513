// Who manages the server: people with tokens and passwords, over TLS, by the local
// socket, through PAM; and what the ledger has of it.
#include <algorithm>
#include <csignal>
#include <filesystem>
#include <gmock/gmock.h>
#include <sys/stat.h>

#include "base/clock.h"
#include "crypto/certificate.h"
#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;
using testing::Not;
using testing::StartsWith;

class People : public ServerFixture {
 protected:
  void SetUp() override { start({"--management-tls-listen", "127.0.0.1:0"}); }
  // The client of somebody who has a home of their own.
  Output as(const std::string& person, Arguments arguments,
            const std::string& input = "") {
    arguments.insert(arguments.begin(), vantro_program());
    const auto home = scratch_ / person;
    std::filesystem::create_directory(home);
    return run(arguments, {{"HOME", home}, {"TZ", "UTC"}, {"XDG_RUNTIME_DIR", home}},
               input);
  }
  // By the local socket.
  Output here(Arguments arguments, const std::string& input = "") {
    arguments.insert(arguments.begin(), {vantro_program(), "--url", socket()});
    return run(arguments, {{"TZ", "UTC"}}, input);
  }
  // The last line: the token is alone on it or on the one before the last.
  static std::string token_in(const std::string& out) {
    const auto at = out.find("\nvantro-");
    EXPECT_NE(at, std::string::npos) << out;
    return at == std::string::npos ? "" : out.substr(at + 1, 55);
  }
  Output log_in(const std::string& person, const std::string& token) {
    return as(person, {"login", secure_url(), "--fingerprint", fingerprint()},
              token + "\n");
  }
  std::string add(const std::string& person, const std::string& role) {
    const auto added = here({"person", "add", person, "--role", role, "--until", "90d"});
    EXPECT_EQ(added.code, 0) << added.err;
    return token_in(added.out);
  }
};

TEST_F(People, WorkFromTheirOwnDesksEachWithTheirRole) {
  take_in("x.img", "the image");
  const auto anna = add("anna", "operate");
  const auto olaf = add("olaf", "look");
  // The certificate is looked at before anything is sent.
  const auto unseen = as("anna", {"login", secure_url()}, anna + "\n");
  EXPECT_EQ(unseen.code, 4);
  EXPECT_THAT(unseen.err, HasSubstr("has the certificate " + fingerprint() +
                                    "; compare it with 'vantro status' on the server"));
  EXPECT_EQ(as("anna", {"login", secure_url(), "--fingerprint", "00:11"}, anna).code, 4);
  EXPECT_EQ(as("anna", {"login", "http://192.0.2.10:7070"}, anna).code, 2);
  // Whoever listens at a port of this machine may not be vantrod.
  EXPECT_EQ(as("anna", {"login", url()}, anna).code, 2);
  EXPECT_EQ(as("anna", {"--url", url(), "status"}).code, 2);
  EXPECT_EQ(as("anna", {"--url", "http://vantro.example:7070", "status"}).code, 2);
  const auto in = log_in("anna", anna);
  EXPECT_THAT(in.out, StartsWith("anna at " + secure_url() + ": operate, until "))
      << in.err;
  ASSERT_EQ(log_in("olaf", olaf).code, 0);
  const auto file = scratch_ / "anna/.config/vantro/servers.toml";
  EXPECT_EQ(std::filesystem::status(file).permissions(),
            std::filesystem::perms::owner_read | std::filesystem::perms::owner_write);

  const auto refused =
      as("olaf", {"image", "withdraw", "x.img", "--reason", "a wrong image"});
  EXPECT_EQ(refused.code, 1);
  EXPECT_EQ(refused.err,
            "vantro: 'olaf' has the role 'look', and this needs 'operate'; an "
            "administrator can give it: vantro person change olaf --role operate\n");
  EXPECT_EQ(as("olaf", {"image", "list"}).code, 0);
  EXPECT_EQ(as("anna", {"person", "add", "eve"}).code, 1);
  ASSERT_EQ(as("anna", {"image", "withdraw", "x.img", "--reason", "a wrong image"}).code,
            0);

  const auto ledger = vantro_json({"ledger", "--by", "anna"})["entries"];
  ASSERT_EQ(ledger.size(), 2u) << ledger;
  EXPECT_EQ(ledger[0]["event"], "image-withdraw");
  EXPECT_EQ(ledger[0]["from"], "127.0.0.1");
  EXPECT_EQ(ledger[1]["outcome"], "refused");
  EXPECT_THAT(
      ledger[1]["sentence"].get<std::string>(),
      StartsWith("POST /v1/people: 'anna' has the role 'operate', and this needs "));
  EXPECT_EQ(vantro_json({"ledger", "--by", "olaf"})["entries"][0]["name"], "x.img");
  EXPECT_THAT(here({"ledger", "--event", "call,image-withdraw", "--from", "1h"}).out,
              HasSubstr("anna (127.0.0.1)  image-withdraw  manage"));
  EXPECT_THAT(here({"person", "list"}).out, HasSubstr("anna      operate"));
  EXPECT_THAT(as("anna", {"status"}).out,
              HasSubstr("  you         anna: operate, by token"));

  // Nor does what is already open go on behind it.
  Process reading({"curl", "-skN", "-m", "60", "-H", "Authorization: Bearer " + anna,
                   secure_url() + "/v1/events"},
                  {}, scratch_ / "events", "");
  ASSERT_TRUE(eventually([&] {
    return fakes::read_file(scratch_ / "events").find(": still here") !=
           std::string::npos;
  }));
  // A revoked token is told as that, and what was stored can be forgotten.
  ASSERT_EQ(here({"token", "end", "first", "--by", "anna"}).code, 0);
  const auto gone = as("anna", {"status"});
  EXPECT_EQ(gone.code, 4);
  EXPECT_THAT(gone.err, HasSubstr("the token 'first' of 'anna' was revoked on "));
  EXPECT_TRUE(eventually([&] { return !reading.running(); }));
  EXPECT_EQ(as("anna", {"logout"}).code, 0);
  EXPECT_THAT(as("anna", {"server", "list"}).out, HasSubstr("No servers yet."));
  EXPECT_EQ(here({"person", "remove", "operator", "--yes"}).code, 0);
  EXPECT_EQ(here({"person", "remove", "secrets", "--yes"}).err,
            "vantro: 'secrets' is the last administrator; give another person that "
            "role first: vantro person add NAME --role administer\n");
  // Closed files of others are not read.
  ::chmod((scratch_ / "olaf/.config/vantro/servers.toml").c_str(), 0644);
  const auto open = as("olaf", {"status"});
  EXPECT_EQ(open.code, 7);
  EXPECT_THAT(open.err, HasSubstr("other users can read its tokens"));
}

TEST_F(People, EveryOperationIsKeptForTheRolesThatMay) {
  Arguments arguments{"python3", VANTRO_SOURCE_DIR "/tests/end_to_end/roles_check.py",
                      std::to_string(management_port_)};
  for (const auto* role : {"mirror", "look", "operate", "administer"}) {
    arguments.push_back(std::string(role) + "=" + add(std::string(role) + "-desk", role));
  }
  const auto checked = run(arguments);
  EXPECT_EQ(checked.code, 0) << checked.out << checked.err;
}

TEST_F(People, AChangedCertificateIsRefusedBeforeATokenIsSent) {
  const auto anna = add("anna", "operate");
  ASSERT_EQ(log_in("anna", anna).code, 0);
  const auto before = fingerprint();
  const auto url = secure_url();
  const auto port = url.substr(url.rfind(':') + 1);
  stop();
  std::filesystem::remove_all(state() + "/management");
  start({"--management-tls-listen", "127.0.0.1:" + port});
  ASSERT_NE(fingerprint(), before);
  const auto refused = as("anna", {"status"});
  EXPECT_EQ(refused.code, 4);
  EXPECT_EQ(refused.err,
            "vantro: the certificate of " + url + " has changed: now " + fingerprint() +
                ", before " + before +
                "; nothing was sent. Either it was renewed, or somebody intercepts the "
                "connection. Compare it with 'vantro status' on the server itself, then: "
                "vantro login " +
                url + "\n");
  EXPECT_EQ(log_in("anna", anna).code, 0);
  EXPECT_EQ(as("anna", {"status"}).code, 0);
}

TEST_F(People, AGivenCertificateIsJudged) {
  const auto make = [&](const std::string& name, const Arguments& more) {
    Arguments arguments{"openssl",
                        "req",
                        "-x509",
                        "-newkey",
                        "ec",
                        "-pkeyopt",
                        "ec_paramgen_curve:P-256",
                        "-nodes",
                        "-keyout",
                        scratch_ / (name + ".key"),
                        "-out",
                        scratch_ / (name + ".pem"),
                        "-subj",
                        "/CN=" + name,
                        "-addext",
                        "subjectAltName=DNS:" + name + ",IP:127.0.0.1"};
    arguments.insert(arguments.end(), more.begin(), more.end());
    ASSERT_EQ(run(arguments).code, 0);
  };
  make("depot.example", {"-days", "2"});
  const auto settings = [&](const std::string& key) {
    fakes::write_file(scratch_ / "vantro.toml",
                      "[management]\nnames = [\"vantro.example\"]\ncertificate = \"" +
                          (scratch_ / "depot.example.pem") + "\"\nkey = \"" + key +
                          "\"\n");
  };
  stop();
  settings(scratch_ / "none.key");
  const auto without = run(
      {vantrod_program(), "--config", scratch_ / "vantro.toml", "--state", state(),
       "--tftp-listen", "127.0.0.1:0", "--ftp-listen", "none", "--http-listen", "none",
       "--management-listen", "none", "--management-tls-listen", "127.0.0.1:0",
       "--management-socket", socket(), "--database", database_.where()});
  EXPECT_EQ(without.code, 1);
  EXPECT_THAT(without.err, StartsWith("vantrod: " + (scratch_ / "none.key") +
                                      ": no key in PEM form for that certificate"));
  settings(scratch_ / "depot.example.key");
  start({"--config", scratch_ / "vantro.toml", "--management-tls-listen", "127.0.0.1:0"});
  const auto status = here({"status"}).out;
  EXPECT_THAT(status, HasSubstr("depot.example.pem expires on "));
  EXPECT_THAT(status, HasSubstr("is for 'depot.example', not for 'vantro.example' of "
                                "management.names; browsers will refuse it"));
  // Others take its place without a restart; and what is wrong with them is told.
  const auto replace = [&](base::WallTime now) {
    const auto made = crypto::make_certificate({"vantro.example"}, {}, now);
    ASSERT_TRUE(made);
    fakes::write_file(scratch_ / "depot.example.pem", made->certificate);
    fakes::write_file(scratch_ / "depot.example.key", made->key);
    const auto facts = crypto::certificate_facts(scratch_ / "depot.example.pem");
    server_->signal(SIGHUP);
    EXPECT_TRUE(eventually([&] {
      return here({"status"}).out.find(facts->fingerprint) != std::string::npos;
    }));
  };
  const auto now = base::SystemClock{}.wall();
  constexpr base::WallTime kYear = 365 * 86'400'000LL;
  replace(now - 11 * kYear);
  EXPECT_THAT(here({"status"}).out,
              HasSubstr("replace it, then 'systemctl reload vantrod'"));
  replace(now + kYear);
  EXPECT_THAT(here({"status"}).out, HasSubstr("is not valid before "));
  replace(now);
  EXPECT_THAT(here({"status"}).out, HasSubstr("no trouble known"));
}

TEST_F(People, LogInWithAPasswordForATime) {
  const auto added =
      here({"person", "add", "anna", "--role", "operate", "--password", "--no-token"},
           "right-pass\n");
  ASSERT_EQ(added.code, 0) << added.err;
  const auto wrong =
      as("anna", {"login", secure_url(), "--fingerprint", fingerprint(), "--by", "anna"},
         "wrong-pass\n");
  EXPECT_EQ(wrong.code, 4);
  EXPECT_EQ(wrong.err, "vantro: the name or its password is wrong\n");
  ASSERT_EQ(
      as("anna", {"login", secure_url(), "--fingerprint", fingerprint(), "--by", "Anna"},
         "right-pass\n")
          .code,
      0);
  EXPECT_THAT(as("anna", {"status"}).out,
              HasSubstr("  you         anna: operate, by log-in"));
  EXPECT_THAT(as("anna", {"token", "list"}).out, HasSubstr("log-in"));
  ASSERT_EQ(as("anna", {"logout"}).code, 0);
  EXPECT_EQ(row("log-out", "done")["actor"], "anna");
  EXPECT_EQ(row("log-in", "refused")["sentence"], "the name or its password is wrong");

  // As a browser does it.
  const auto curl = [&](Arguments arguments) {
    arguments.insert(arguments.begin(), {"curl", "-sk", "-m", "60", "-i"});
    return run(arguments).out;
  };
  const auto body = R"({"name":"anna","password":"right-pass","cookie":true})";
  const auto in = curl({"-d", body, secure_url() + "/v1/log-in"});
  const auto begins = in.find("Set-Cookie: vantro-session=");
  ASSERT_NE(begins, std::string::npos) << in;
  EXPECT_THAT(in, HasSubstr("; Path=/; HttpOnly; SameSite=Strict; Secure\r\n"));
  EXPECT_THAT(in, HasSubstr("\"token\":\"\""));
  EXPECT_THAT(in, HasSubstr("frame-ancestors 'none'"));
  EXPECT_THAT(in, HasSubstr("X-Content-Type-Options: nosniff\r\n"));
  const auto cookie =
      "Cookie: " + in.substr(begins + 12, in.find(';', begins) - begins - 12);
  EXPECT_THAT(curl({"-H", cookie, secure_url() + "/v1/me"}),
              HasSubstr("\"known_by\":\"log-in\""));
  // Another site can't make use of it, nor is it good under another name.
  EXPECT_THAT(curl({"-H", cookie, "-H", "Origin: https://evil.example", "-X", "POST",
                    secure_url() + "/v1/verification"}),
              StartsWith("HTTP/1.1 403"));
  EXPECT_THAT(curl({"-H", cookie, "-X", "POST", secure_url() + "/v1/verification"}),
              StartsWith("HTTP/1.1 403"));
  EXPECT_THAT(curl({"-H", cookie, "-H", "Host: evil.example", secure_url() + "/v1/me"}),
              StartsWith("HTTP/1.1 421"));
  const auto out = curl({"-H", cookie, "-H", "Sec-Fetch-Site: same-origin", "-X",
                         "DELETE", secure_url() + "/v1/log-in"});
  EXPECT_THAT(out, HasSubstr("Max-Age=0"));
  EXPECT_THAT(curl({"-H", cookie, secure_url() + "/v1/me"}), StartsWith("HTTP/1.1 401"));
  // Whoever is not known yet can't send much.
  fakes::write_file(scratch_ / "large", std::string(100'000, 'x'));
  EXPECT_THAT(curl({"-d", "@" + (scratch_ / "large"), secure_url() + "/v1/log-in"}),
              HasSubstr("413"));
}

// A service of Debian's modules: what a directory would say is said by a script.
TEST_F(People, LogInThroughPam) {
  const auto script = scratch_ / "check";
  fakes::write_file(script,
                    "#!/bin/sh\nread -r password\n"
                    "[ \"$PAM_USER:$password\" = \"nobody:from-directory\" ]\n");
  ::chmod(script.c_str(), 0700);
  const auto service = scratch_ / "vantro-test";
  fakes::write_file(service, "auth sufficient pam_exec.so quiet expose_authtok " +
                                 script +
                                 "\nauth required pam_deny.so\n"
                                 "account required pam_permit.so\n");
  stop();
  fakes::write_file(scratch_ / "vantro.toml",
                    "[management]\npam_service = \"" + service +
                        "\"\n[[management.group]]\nname = \"nogroup\"\nrole = \"look\"\n"
                        "rights = \"secrets\"\n");
  start({"--config", scratch_ / "vantro.toml", "--management-tls-listen", "127.0.0.1:0"});
  const auto log_in_as = [&](const std::string& name, const std::string& password) {
    return as(name, {"login", secure_url(), "--fingerprint", fingerprint(), "--by", name},
              password + "\n");
  };
  EXPECT_EQ(log_in_as("nobody", "wrong").code, 4);
  const auto in = log_in_as("nobody", "from-directory");
  EXPECT_THAT(in.out,
              StartsWith("nobody at " + secure_url() + ": look, with secrets, until "))
      << in.err;
  EXPECT_EQ(as("nobody", {"device", "add", "pump"}).code, 1);
  EXPECT_TRUE(eventually([&] {
    return here({"person", "list"}).out.find("PAM") != std::string::npos;
  })) << here({"person", "list"}).out;
  // Who has a password here is not asked of elsewhere.
  ASSERT_EQ(
      here({"person", "add", "anna", "--password", "--no-token"}, "right-pass\n").code,
      0);
  EXPECT_EQ(log_in_as("anna", "right-pass").code, 0);
  fakes::write_file(service,
                    "auth required pam_permit.so\naccount required pam_deny.so\n");
  const auto closed = log_in_as("nobody", "any");
  EXPECT_EQ(closed.code, 1);
  EXPECT_THAT(closed.err,
              HasSubstr("the password is right, but 'nobody' may not log in"));
}

// Others of this machine are known by their login, and told which group they miss.
TEST_F(People, AreKnownByTheirLoginOnThisMachine) {
  if (::geteuid() != 0) GTEST_SKIP() << "only root can be somebody else";
  stop();
  fakes::write_file(
      scratch_ / "vantro.toml",
      "[management]\nsocket_group = \"daemon\"\n[[management.group]]\nname = "
      "\"daemon\"\nrole = \"look\"\n");
  start({"--config", scratch_ / "vantro.toml"});
  ::chmod(scratch_.path().c_str(), 0711);
  const auto call = [&](const std::string& user, const std::string& group) {
    return run({"setpriv", "--reuid", user, "--regid", group, "--clear-groups", "curl",
                "-s", "-m", "60", "--unix-socket", socket(), "http://localhost/v1/me"})
        .out;
  };
  EXPECT_THAT(
      call("daemon", "daemon"),
      HasSubstr(R"("known_by":"socket","name":"daemon","rights":"none","role":"look")"));
  // The system keeps out who is not in the group; and vantrod, whom the settings don't
  // name.
  EXPECT_EQ(call("nobody", "nogroup"), "");
  EXPECT_THAT(
      call("nobody", "daemon"),
      HasSubstr("the user 'nobody' may not manage this server; the groups that may "
                "are 'daemon'"));
  EXPECT_THAT(here({"person", "list"}).out, HasSubstr("daemon    look"));
}

TEST_F(People, TheLedgerIsExportedWholeAndShowsWhatWasTakenOut) {
  stop();
  // Many rows, as of a version before rows were chained.
  change_database("delete from ledger");
  change_database(
      "with recursive counted (i) as (select 1 union all select i + 1 from counted where "
      "i < 25000) insert into ledger (id, at, event, actor, protocol, name, bytes, "
      "duration_ms, resent, outcome, sentence) select i, 1700000000000 + i, 'fetch', "
      "'192.0.2.7', 'tftp', '=x' || i || '.img', 0, 0, 0, 'complete', '' from counted");
  change_database(
      "insert into ledger_names select distinct lower(name) from ledger where true on "
      "conflict do nothing");
  start();
  take_in("y.img", "bytes");
  const auto csv = here({"ledger", "--csv"}).out;
  EXPECT_THAT(csv, StartsWith("row,at,event,who,from,device,protocol,"));
  EXPECT_GT(std::count(csv.begin(), csv.end(), '\n'), 25'001);
  // Nothing in it is run as a formula.
  EXPECT_THAT(csv, HasSubstr(",'=x25000.img,"));
  const auto some =
      here({"ledger", "--csv", "--name", "=x2500*", "--event", "fetch"}).out;
  EXPECT_EQ(std::count(some.begin(), some.end(), '\n'), 3) << some;
  const auto lines = here({"ledger", "--jsonl", "--name", "y.img"}).out;
  EXPECT_EQ(read_json(lines.substr(0, lines.find('\n')))["name"], "y.img") << lines;
  // Chunked and on a connection that goes on; and for a client of before.
  const auto twice =
      run({"curl", "-s", "-m", "60", "--unix-socket", socket(),
           "http://localhost/v1/ledger-export?name=y.img", "http://localhost/v1/me"});
  EXPECT_THAT(twice.out, HasSubstr("image-add"));
  EXPECT_THAT(twice.out, HasSubstr("\"known_by\":\"socket\""));
  const auto old = run({"curl", "-s0", "-m", "60", "--unix-socket", socket(),
                        "http://localhost/v1/ledger-export"});
  EXPECT_EQ(std::count(old.out.begin(), old.out.end(), '\n'),
            std::count(csv.begin(), csv.end(), '\n'));

  const auto sound = here({"ledger", "verify"});
  EXPECT_EQ(sound.code, 0);
  EXPECT_THAT(sound.out, HasSubstr("no row is missing or changed"));
  EXPECT_THAT(sound.out, HasSubstr("25000 of them have no hash"));
  auto noted = sound.out;
  noted.pop_back();
  noted = noted.substr(noted.rfind('\n') + 1);
  EXPECT_EQ(here({"ledger", "verify", "--noted", noted}).code, 0);
  EXPECT_EQ(here({"ledger", "verify", "--noted", "17"}).code, 2);
  stop();
  change_database("update ledger set actor = 'eve' where event = 'image-add'");
  start();
  const auto changed = here({"ledger", "verify"});
  EXPECT_EQ(changed.code, 6);
  EXPECT_THAT(changed.out, HasSubstr("does not match the row before it"));
}

TEST_F(People, ATokenFileWithSomethingElseInItIsToldAtTheStart) {
  stop();
  const auto other = scratch_ / "other";
  std::filesystem::create_directory(other);
  ::chmod(other.c_str(), 0700);
  const Arguments arguments{vantrod_program(),
                            "--state",
                            other,
                            "--tftp-listen",
                            "127.0.0.1:0",
                            "--ftp-listen",
                            "none",
                            "--http-listen",
                            "none",
                            "--management-listen",
                            "none",
                            "--management-socket",
                            scratch_ / "other.sock"};
  for (const auto* content : {"short\n", "two words that are long enough\n",
                              "one-line-that-is-a-token\nand another\n"}) {
    fakes::write_file(other + "/token", content);
    const auto refused = run(arguments);
    EXPECT_EQ(refused.code, 1) << content;
    EXPECT_THAT(refused.err, HasSubstr("/other/token has no valid token")) << content;
    EXPECT_EQ(fakes::read_file(other + "/token"), content);
  }
  // One of the two alone makes nobody: mended, both are taken.
  fakes::write_file(other + "/token", "a-sound-token-of-the-tests\n");
  fakes::write_file(other + "/secrets-token", "short\n");
  EXPECT_THAT(run(arguments).err, HasSubstr("/other/secrets-token has no valid token"));
  fakes::write_file(other + "/secrets-token", "another-sound-token-of-the-tests\n");
  Process mended(arguments, {}, scratch_ / "mended.out", scratch_ / "mended.err");
  ASSERT_TRUE(eventually([&] {
    return fakes::read_file(scratch_ / "mended.out").find("Ready.") != std::string::npos;
  })) << fakes::read_file(scratch_ / "mended.err");
  EXPECT_THAT(
      run({vantro_program(), "--url", scratch_ / "other.sock", "person", "list"}).out,
      HasSubstr("secrets   administer  secrets, push"));
  mended.signal(SIGTERM);
  EXPECT_EQ(mended.wait(), 0);
  // Nor is the API served in the clear elsewhere, whoever says so.
  const auto in_the_clear = run({vantrod_program(), "--management-listen", "0.0.0.0:0",
                                 "--state", scratch_ / "clear"});
  EXPECT_EQ(in_the_clear.code, 2);
  EXPECT_THAT(in_the_clear.err, HasSubstr("0.0.0.0 is not a loopback address"));
  start();
  // Those of the fixture became people, and who they are is in the ledger.
  EXPECT_THAT(here({"person", "list"}).out, HasSubstr("operator  administer  push"));
  EXPECT_THAT(here({"ledger", "--event", "person-add"}).out, HasSubstr("secrets"));
}

TEST_F(People, ReadingSecretsAndSavingIsRecorded) {
  fakes::write_file(scratch_ / "site.cfg", "host x\n community rushes-4711\n");
  ASSERT_EQ(
      run({"curl", "-s", "-m", "60", "-T", scratch_ / "site.cfg", http_url("/site.cfg")})
          .code,
      0);
  take_in("x.img", "bytes");
  EXPECT_EQ(
      here({"backup", "write", "127.0.0.1", "site.cfg", "--with-secrets", "--out", "-"})
          .code,
      0);
  EXPECT_THAT(row("secrets-read", "done")["name"].get<std::string>(),
              HasSubstr("127.0.0.1/site.cfg revision 1"));
  EXPECT_EQ(row("backup-save", "done")["from"], "this machine");
  ASSERT_EQ(run({"curl", "-s", "-m", "60", "-o", "/dev/null", "--unix-socket", socket(),
                 "http://localhost/v1/images/x.img/content"})
                .code,
            0);
  EXPECT_EQ(row("image-save", "done")["name"], "x.img");
}

}  // namespace
}  // namespace vantro::end_to_end
