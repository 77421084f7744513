// Who may do what, as an operator sets it and a client meets it.
#include <csignal>
#include <gmock/gmock.h>
#include <sys/stat.h>

#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;
using testing::Not;

class Access : public ServerFixture {
 protected:
  Output vantro_with(const std::string& input, Arguments arguments) {
    arguments.insert(arguments.begin(), vantro_program());
    return run(arguments, client_environment(), input);
  }
  Output curl(Arguments arguments) {
    arguments.insert(arguments.begin(), {"curl", "-sS", "-m", "60"});
    return run(arguments);
  }
  void add_night(const std::string& may) {
    const auto added =
        vantro_with("night-pass\n", {"account", "add", "Night", "--may", may});
    ASSERT_EQ(added.code, 0) << added.err;
  }
  void restart_with(const std::string& settings, const Arguments& more = {}) {
    stop();
    fakes::write_file(scratch_ / "vantro.toml", settings);
    Arguments arguments{"--config", scratch_ / "vantro.toml"};
    arguments.insert(arguments.end(), more.begin(), more.end());
    start(arguments);
  }
};

TEST_F(Access, AnAccountIsMadeChangedAndRemoved) {
  const auto added = vantro_with(
      "night-pass\n", {"account", "add", "Night", "--may", "fetch,hand-in", "--networks",
                       "loopback,192.0.2.0/24", "--folder", "/north/", "--until", "30d",
                       "--remark", "the night crew"});
  EXPECT_EQ(added.code, 0) << added.err;
  EXPECT_THAT(
      added.out,
      HasSubstr("night\n  may      fetch, hand-in\n  from     loopback, 192.0.2.0/24\n"
                "  in       north/\n  until    "));
  EXPECT_EQ(vantro_with("night-pass\n", {"account", "add", "night"}).code, 1);
  EXPECT_EQ(vantro_with("short\n", {"account", "add", "day"}).err,
            "vantro: the password has 5 bytes; it must have 8 to 128\n");
  EXPECT_EQ(vantro_with("", {"account", "add", "day"}).err,
            "vantro: standard input has no password\n");
  EXPECT_EQ(vantro({"account", "change", "night"}).code, 2);
  EXPECT_EQ(vantro({"account", "change", "nigth", "--off"}).code, 5);
  EXPECT_EQ(vantro({"account", "change", "night", "--networks", "10.0.0.1/8"}).code, 2);
  EXPECT_EQ(vantro({"account", "change", "night", "--on", "--off"}).code, 2);
  EXPECT_THAT(vantro({"account", "change", "night", "--off", "--folder", "all", "--until",
                      "ever"})
                  .out,
              HasSubstr("  switched off\n"));
  const auto list = vantro({"account", "list"}).out;
  EXPECT_THAT(list, HasSubstr("anonymous  fetch, deposit"));
  EXPECT_THAT(list, HasSubstr("switched off"));
  EXPECT_THAT(list, Not(HasSubstr("argon2")));
  EXPECT_THAT(vantro({"--json", "account", "list"}).out, Not(HasSubstr("argon2")));
  EXPECT_EQ(vantro({"account", "remove", "anonymous", "--yes"}).code, 2);
  EXPECT_EQ(vantro({"account", "remove", "night", "--yes"}).out,
            "night: removed; the ledger keeps what it fetched and sent\n");
  EXPECT_EQ(vantro({"account", "remove", "night", "--yes"}).code, 5);
}

// script(1) plays the terminal.
TEST_F(Access, APasswordAtATerminalIsNotShown) {
  const auto typed = [&](const std::string& keys) {
    fakes::write_file(scratch_ / "keys", keys);
    return run({"sh", "-c",
                // It types when it is asked, and goes when the program has ended.
                "cd '" + scratch_.path() +
                    "'; rm -f shown ended; "
                    "(until grep -q Password shown; do sleep 0.05; done; cat keys; "
                    "until test -e ended; do sleep 0.05; done) 2>/dev/null | "
                    "script -qfec \"" +
                    vantro_program() + " account add night; touch ended\" shown"},
               client_environment());
  };
  const auto two = typed("night-pass\nother-pass\n");
  EXPECT_THAT(two.out, HasSubstr("the passwords do not match; nothing was changed"));
  const auto same = typed("night-pass\nnight-pass\n");
  EXPECT_THAT(same.out, HasSubstr("Password for 'night': "));
  EXPECT_THAT(same.out, HasSubstr("may      fetch, deposit"));
  EXPECT_THAT(two.out + same.out, Not(HasSubstr("night-pass")));
}

TEST_F(Access, ClosedIsClosedUntilAnAccountOpensIt) {
  take_in("x.img", "the image");
  add_night("fetch,deposit");
  ASSERT_EQ(vantro({"account", "change", "anonymous", "--off"}).code, 0);
  const auto refused = curl({"-i", http_url("/x.img")}).out;
  EXPECT_THAT(refused, HasSubstr("401 Unauthorized"));
  EXPECT_THAT(refused, HasSubstr("WWW-Authenticate: Basic realm=\"vantro\""));
  EXPECT_THAT(refused, HasSubstr("fetching without an account is switched off; log in "
                                 "with an account that may"));
  EXPECT_EQ(run({"curl", "-sS", "-m", "60", tftp_url("x.img")}).code,
            69);  // access violation
  EXPECT_EQ(curl({"-u", "night:night-pass", http_url("/x.img")}).out, "the image");
  EXPECT_EQ(run({"wget", "-q", "-O", "-", "--user=night", "--password=night-pass",
                 http_url("/x.img")})
                .out,
            "the image");
  EXPECT_THAT(curl({"-u", "night:wrong-pass", http_url("/x.img")}).out,
              HasSubstr("the name or its password is wrong"));
  const auto status = vantro({"status"}).out;
  EXPECT_THAT(status,
              HasSubstr("http        listens on 127.0.0.1:" + std::to_string(http_port_) +
                        "; content and password can be read on the way"));
  EXPECT_THAT(status, HasSubstr("open        from private, loopback: fetch, deposit, "
                                "list, read-back, hand-in, over ftp, "
                                "http, with an account that may"));
  EXPECT_THAT(status, HasSubstr("everything else is closed"));
  // Its password is changed: the old one is no longer good, though it was a moment ago.
  ASSERT_EQ(
      vantro_with("other-pass\n", {"account", "change", "night", "--password"}).code, 0);
  EXPECT_THAT(curl({"-u", "night:night-pass", http_url("/x.img")}).out,
              HasSubstr("is wrong"));
  EXPECT_EQ(curl({"-u", "night:other-pass", http_url("/x.img")}).out, "the image");
  EXPECT_THAT(vantro({"ledger"}).out, HasSubstr("127.0.0.1 as night"));
}

TEST_F(Access, AColleagueHandsAnImageIn) {
  add_night("hand-in");
  fakes::write_file(scratch_ / "pump-7.img", "image bytes");
  const auto list = run({"sha256sum", "pump-7.img"}, {}, "", scratch_.path());
  fakes::write_file(scratch_ / "pump-7.img.sha256", list.out);
  const auto hand_in = [&](const std::string& file) {
    return curl({"-u", "night:night-pass", "-T", scratch_ / file,
                 http_url("/intake/" + file)})
        .out;
  };
  EXPECT_THAT(curl({"-T", scratch_ / "pump-7.img", http_url("/intake/pump-7.img")}).out,
              HasSubstr("log in with an account that may"));
  EXPECT_THAT(hand_in("pump-7.img.sha256"), HasSubstr("is kept for 7 days"));
  EXPECT_THAT(hand_in("pump-7.img"),
              HasSubstr("'pump-7.img' added, on offer; SHA-256 as expected"));
  EXPECT_EQ(curl({http_url("/pump-7.img")}).out, "image bytes");
  const auto image = vantro_json({"image", "info", "pump-7.img"})["image"];
  EXPECT_EQ(image["vouching"], "vouched");
  // A download that broke off, inside an archive: the look finds it.
  const auto archive = run({"sh", "-c", "head -c 200000 /dev/urandom | gzip -c"}).out;
  fakes::write_file(scratch_ / "cut.gz", archive.substr(0, 100'000));
  EXPECT_THAT(hand_in("cut.gz"), HasSubstr("nothing was added"));
  EXPECT_EQ(vantro({"image", "info", "cut.gz"}).code, 5);
}

TEST_F(Access, RulesOfTheSettingsReplaceTheDefaultOnes) {
  take_in("x.img", "the image");
  restart_with("[[rule]]\nfrom = \"loopback\"\nmay = \"fetch\"\nover = \"http\"\n");
  EXPECT_EQ(curl({http_url("/x.img")}).out, "the image");
  EXPECT_EQ(run({"curl", "-sS", "-m", "60", tftp_url("x.img")}).code, 69);
  EXPECT_THAT(curl({"-i", http_url("/")}).out, HasSubstr("403 Forbidden"));
  EXPECT_THAT(curl({"-i", "-T", "/dev/null", http_url("/a.cfg")}).out,
              HasSubstr("sending a backup is not open to 127.0.0.1 over http"));
}

TEST_F(Access, ALocationIsCompleteToThePaste) {
  take_in("north/pump 7.img", "the image");
  add_night("fetch");
  const auto told = vantro(
      {"location", "north/pump 7.img", "--device", "127.3.2.1", "--account", "night"});
  ASSERT_EQ(told.code, 0) << told.err;
  const auto tftp =
      "tftp://127.0.0.1:" + std::to_string(tftp_port_) + "/north/pump%207.img\n";
  const auto ftp =
      "ftp://night@127.0.0.1:" + std::to_string(ftp_port_) + "/north/pump%207.img\n";
  const auto http =
      "http://night@127.0.0.1:" + std::to_string(http_port_) + "/north/pump%207.img\n";
  for (const auto& one : {tftp, ftp, http}) EXPECT_THAT(told.out, HasSubstr(one));
  // And each value by itself.
  EXPECT_THAT(told.out,
              HasSubstr("    server 127.0.0.1  port " + std::to_string(ftp_port_) +
                        "  account night  name north/pump 7.img  mode binary\n"));
  ASSERT_EQ(vantro({"device", "add", "heron", "--addresses", "127.3.2.1"}).code, 0);
  EXPECT_EQ(
      vantro({"location", "north/pump 7.img", "--device", "heron", "--account", "night"})
          .out,
      told.out);
  EXPECT_THAT(told.out, HasSubstr("  SHA-256  "));
  EXPECT_THAT(
      vantro({"location", "north/pump 7.img", "--device", "203.0.113.9"}).out,
      HasSubstr(
          "    not for 203.0.113.9: fetching is not open to 203.0.113.9 over http\n"));
  EXPECT_EQ(vantro({"location", "none.img"}).code, 5);
  EXPECT_EQ(vantro({"location", "north/pump 7.img", "--device", "somewhere"}).code, 5);
  EXPECT_EQ(vantro({"location", "north/pump 7.img", "--account", "nobody"}).code, 5);
  // What stands in it works.
  const auto text =
      vantro_json({"location", "north/pump 7.img", "--device", "127.0.0.1"});
  EXPECT_EQ(curl({text["locations"][2]["text"]}).out, "the image");
}

TEST_F(Access, HttpsProtectsWhatItCarries) {
  take_in("x.img", fakes::noise(3'000'000, 4));
  ASSERT_EQ(run({"openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout",
                 scratch_ / "key.pem", "-out", scratch_ / "cert.pem", "-days", "2",
                 "-subj", "/CN=vantro", "-addext", "subjectAltName=IP:127.0.0.1"})
                .code,
            0);
  restart_with("[https]\ncertificate = \"" + (scratch_ / "cert.pem") + "\"\nkey = \"" +
                   (scratch_ / "key.pem") + "\"\n",
               {"--https-listen", "127.0.0.1:0"});
  const auto out = server_out();
  const auto at = out.find("HTTPS listens on 127.0.0.1:");
  ASSERT_NE(at, std::string::npos) << out;
  const auto port = std::to_string(std::atoi(out.c_str() + at + 27));
  const auto url = "https://127.0.0.1:" + port;
  const auto secure = [&](Arguments more) {
    more.insert(more.begin(), {"--cacert", scratch_ / "cert.pem"});
    return curl(more);
  };
  ASSERT_EQ(secure({"-o", scratch_ / "got", url + "/x.img"}).code, 0);
  EXPECT_EQ(fakes::read_file(scratch_ / "got"), fakes::noise(3'000'000, 4));
  ASSERT_EQ(
      secure({"--tls-max", "1.2", "-r", "5-", "-o", scratch_ / "got", url + "/x.img"})
          .code,
      0);
  EXPECT_EQ(fakes::read_file(scratch_ / "got"), fakes::noise(3'000'000, 4).substr(5));
  // One connection: what was read of one file must not be sent for the next.
  take_in("y.img", fakes::noise(700'000, 5));
  ASSERT_EQ(secure({"-o", scratch_ / "first", url + "/x.img", "-o", scratch_ / "second",
                    url + "/y.img", "-o", scratch_ / "third", url + "/x.img"})
                .code,
            0);
  EXPECT_EQ(file("first"), fakes::noise(3'000'000, 4));
  EXPECT_EQ(file("second"), fakes::noise(700'000, 5));
  EXPECT_EQ(file("third"), file("first"));
  fakes::write_file(scratch_ / "cfg", fakes::noise(2'000'000, 6));
  EXPECT_THAT(secure({"-T", scratch_ / "cfg", url + "/a.cfg"}).out,
              HasSubstr("revision 1 of 'a.cfg'"));
  EXPECT_EQ(saved("127.0.0.1", "a.cfg"), fakes::noise(2'000'000, 6));
  EXPECT_THAT(vantro({"status"}).out,
              HasSubstr("; content and password are protected on the way"));
  EXPECT_THAT(vantro({"location", "x.img"}).out, HasSubstr(url + "/x.img\n"));
  EXPECT_EQ(row("deposit", "complete")["protocol"], "https");
  // A request that comes in one record with the end of an upload is answered, too.
  fakes::write_file(scratch_ / "two",
                    "PUT /b.cfg HTTP/1.1\r\nHost: a\r\nContent-Length: 20000\r\n\r\n" +
                        std::string(20'000, 'b') +
                        "GET /none HTTP/1.1\r\nHost: a\r\nConnection: close\r\n\r\n");
  const auto both =
      run({"openssl", "s_client", "-quiet", "-connect", "127.0.0.1:" + port}, {},
          fakes::read_file(scratch_ / "two"));
  EXPECT_THAT(both.out, HasSubstr("HTTP/1.1 201 Created"));
  EXPECT_THAT(both.out, HasSubstr("'none' is not on offer"));
  // Forward secrecy and authenticated encryption, and no other protocol than HTTP/1.1.
  const auto handshake = [&](Arguments more) {
    more.insert(more.begin(), {"openssl", "s_client", "-connect", "127.0.0.1:" + port});
    return run(more).code;
  };
  EXPECT_EQ(handshake({"-tls1_2", "-cipher", "ECDHE-RSA-AES128-GCM-SHA256"}), 0);
  EXPECT_NE(handshake({"-tls1_2", "-cipher", "AES128-GCM-SHA256"}), 0);
  EXPECT_NE(handshake({"-tls1_2", "-cipher", "ECDHE-RSA-AES128-SHA"}), 0);
  EXPECT_NE(handshake({"-tls1_1"}), 0);
  EXPECT_EQ(handshake({"-alpn", "h2,http/1.1"}), 0);
  EXPECT_NE(handshake({"-alpn", "h2"}), 0);
  // Who speaks in the clear there gets nowhere, and nobody is held up by it.
  EXPECT_NE(curl({"-m", "5", "http://127.0.0.1:" + port + "/x.img"}).code, 0);
  ASSERT_EQ(secure({"-o", "/dev/null", url + "/x.img"}).code, 0);
}

TEST_F(Access, CertificatesThatDoNotHoldAreSaid) {
  const auto made = [&](const char* days) {
    EXPECT_EQ(run({"openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt",
                   "ec_paramgen_curve:P-256", "-nodes", "-keyout", scratch_ / "key.pem",
                   "-out", scratch_ / "cert.pem", "-days", days, "-subj", "/CN=vantro"})
                  .code,
              0);
  };
  const auto settings = "[https]\ncertificate = \"" + (scratch_ / "cert.pem") +
                        "\"\nkey = \"" + (scratch_ / "key.pem") +
                        "\"\nlisten = " + "[\"127.0.0.1:0\"]\n";
  made("3");
  restart_with(settings);
  const auto soon =
      "the HTTPS and FTP certificate in " + (scratch_ / "cert.pem") + " expires on ";
  EXPECT_THAT(server_out(), HasSubstr("TROUBLE: " + soon));
  EXPECT_THAT(vantro({"status"}).out, HasSubstr("TROUBLE     " + soon));
  fakes::write_file(scratch_ / "check.toml", settings);
  const auto check =
      run({vantrod_program(), "--config", scratch_ / "check.toml", "--check"});
  EXPECT_EQ(check.code, 0);
  EXPECT_THAT(check.out, HasSubstr("TROUBLE: " + soon));
  made("100");
  EXPECT_THAT(
      run({vantrod_program(), "--config", scratch_ / "check.toml", "--check"}).out,
      testing::Not(HasSubstr("TROUBLE")));
  // Everybody could read the key.
  std::filesystem::permissions(scratch_ / "key.pem", std::filesystem::perms::others_read,
                               std::filesystem::perm_options::add);
  const auto open =
      run({vantrod_program(), "--config", scratch_ / "check.toml", "--check"});
  EXPECT_EQ(open.code, 2);
  EXPECT_THAT(open.err, HasSubstr("everybody on this machine can read the key"));
}

// As 'systemctl reload' does it: what a change window needs, without ending anybody's
// transfer.
TEST_F(Access, RulesAndCertificatesTakeEffectWithoutARestart) {
  take_in("x.img", "the image");
  const auto make_certificate = [&] {
    ASSERT_EQ(run({"openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt",
                   "ec_paramgen_curve:P-256", "-nodes", "-keyout", scratch_ / "key.pem",
                   "-out", scratch_ / "cert.pem", "-days", "2", "-subj", "/CN=vantro",
                   "-addext", "subjectAltName=IP:127.0.0.1"})
                  .code,
              0);
  };
  make_certificate();
  const auto certificate = "[https]\ncertificate = \"" + (scratch_ / "cert.pem") +
                           "\"\nkey = \"" + (scratch_ / "key.pem") + "\"\n";
  restart_with(certificate, {"--https-listen", "127.0.0.1:0"});
  const auto out = server_out();
  const auto url = "https://127.0.0.1:" +
                   std::to_string(std::atoi(
                       out.c_str() + out.find("HTTPS listens on 127.0.0.1:") + 27));
  const auto fetched = [&] {
    return curl({"--cacert", scratch_ / "cert.pem", url + "/x.img"}).out;
  };
  const auto said = [&] { return fakes::read_file(scratch_ / "server.err"); };
  std::size_t heard = 0;
  const auto reload_with = [&](const std::string& settings) {
    fakes::write_file(scratch_ / "vantro.toml", settings);
    heard = said().size();
    server_->signal(SIGHUP);
  };
  const auto says = [&](const std::string& words) {
    return eventually([&] { return said().find(words, heard) != std::string::npos; });
  };
  ASSERT_EQ(fetched(), "the image");

  const std::string closed = "[[rule]]\nfrom = [\"192.0.2.0/24\"]\nmay = [\"fetch\"]\n";
  reload_with(closed + certificate + "[http]\nthreads = 3\n");
  ASSERT_TRUE(
      says("these settings take effect when vantrod is restarted "
           "settings=http.threads"))
      << said();
  EXPECT_THAT(said().substr(heard),
              HasSubstr("the settings were reloaded changed=rule by=server\n"));
  EXPECT_THAT(fetched(), HasSubstr("is not open to 127.0.0.1"));

  // A file that can't be taken changes nothing.
  reload_with("[htps]\n");
  ASSERT_TRUE(says("the settings were not reloaded; the old ones stay"));
  EXPECT_THAT(fetched(), HasSubstr("is not open to 127.0.0.1"));

  const auto first = fakes::read_file(scratch_ / "cert.pem");
  make_certificate();
  // The server still has the first one.
  EXPECT_NE(curl({"--cacert", scratch_ / "cert.pem", url + "/x.img"}).code, 0);
  reload_with(certificate);
  ASSERT_TRUE(says("a certificate was reloaded"));
  EXPECT_EQ(fetched(), "the image");
  fakes::write_file(scratch_ / "key.pem", "no key");
  reload_with(certificate);
  ASSERT_TRUE(says("a certificate was not reloaded; the old one stays"));
  EXPECT_EQ(fetched(), "the image");
  EXPECT_EQ(row("server-reload", "done")["sentence"], "changed: rule");
}

TEST_F(Access, ABadCertificateIsSaidAtTheStart) {
  stop();
  fakes::write_file(scratch_ / "cert.pem", "no certificate");
  ASSERT_EQ(::chmod((scratch_ / "cert.pem").c_str(), 0600), 0);
  fakes::write_file(scratch_ / "vantro.toml",
                    "[https]\nlisten = \"127.0.0.1:0\"\ncertificate = \"" +
                        (scratch_ / "cert.pem") + "\"\n");
  const auto started =
      run({vantrod_program(), "--config", scratch_ / "vantro.toml", "--check"});
  EXPECT_EQ(started.code, 2);
  EXPECT_THAT(started.err,
              HasSubstr((scratch_ / "cert.pem") + ": no certificate in PEM form"));
}

}  // namespace
}  // namespace vantro::end_to_end
