// FTP with clients that are not ours: what they fetch, send and make of refusals.
#include <gmock/gmock.h>
#include <random>
#include <signal.h>

#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;
using testing::Not;
using testing::StartsWith;

class FtpClients : public ServerFixture {
 protected:
  void SetUp() override {
    ServerFixture::SetUp();
    take_in("causeway.img", image_);
    take_in("north/pump 7.img", "for the north");
  }
  // With a certificate, and perhaps more settings.
  void restart_with_tls(const std::string& more = "", const Arguments& flags = {}) {
    stop();
    if (!std::filesystem::exists(scratch_ / "cert.pem")) {
      ASSERT_EQ(
          run({"openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout",
               scratch_ / "key.pem", "-out", scratch_ / "cert.pem", "-days", "2", "-subj",
               "/CN=vantro", "-addext", "subjectAltName=IP:127.0.0.1"})
              .code,
          0);
    }
    fakes::write_file(scratch_ / "vantro.toml",
                      "[ftp]\ncertificate = \"" + (scratch_ / "cert.pem") +
                          "\"\nkey = \"" + (scratch_ / "key.pem") + "\"\n" + more);
    Arguments all{"--config", scratch_ / "vantro.toml"};
    all.insert(all.end(), flags.begin(), flags.end());
    start(all);
  }
  Output curl(Arguments arguments) {
    arguments.insert(arguments.begin(), {"curl", "-sS", "-m", "60"});
    return run(arguments);
  }
  Output lftp(const std::string& commands) {
    return run(
        {"lftp", "-c",
         "set net:max-retries 1; set net:timeout 20; set net:reconnect-interval-base "
         "1; set ssl:ca-file '" +
             (scratch_ / "cert.pem") + "'; open -p " + std::to_string(ftp_port_) +
             " 127.0.0.1; " + commands},
        {{"HOME", scratch_.path()}, {"TZ", "UTC"}}, "", scratch_.path());
  }
  // A client that is driven by lines on its standard input.
  Output driven(const std::string& client, const std::string& lines) {
    return run({client, "-n", "-v"}, {{"HOME", scratch_.path()}},
               "open 127.0.0.1 " + std::to_string(ftp_port_) +
                   "\nuser anonymous me@example.net\n" + lines + "bye\n",
               scratch_.path());
  }
  void add_account(const std::string& name, const std::string& may) {
    const auto added = run({vantro_program(), "account", "add", name, "--may", may},
                           client_environment(), "night and day\n");
    ASSERT_EQ(added.code, 0) << added.err;
  }

  const std::string image_ = fakes::noise(3'000'017, 7);
  const std::string config_ = fakes::noise(70'001, 8);
};

TEST_F(FtpClients, CurlFetchesInEveryWay) {
  for (const auto& way : std::vector<Arguments>{{},
                                                {"--disable-epsv"},
                                                {"-P", "-"},
                                                {"-P", "-", "--disable-eprt"},
                                                {"--ftp-method", "nocwd"},
                                                {"--ftp-method", "singlecwd"}}) {
    auto arguments = way;
    arguments.insert(arguments.end(), {"-o", scratch_ / "got", ftp_url("/causeway.img")});
    ASSERT_EQ(curl(arguments).code, 0) << testing::PrintToString(way);
    EXPECT_EQ(file("got"), image_) << testing::PrintToString(way);
  }
  ASSERT_EQ(curl({"-o", scratch_ / "got", ftp_url("/north/pump%207.img")}).code, 0);
  EXPECT_EQ(file("got"), "for the north");
  EXPECT_THAT(curl({ftp_url("/north/")}).out, HasSubstr(" pump 7.img\n"));
  EXPECT_EQ(curl({"-l", ftp_url("/")}).out, "causeway.img\nhello\nnorth\n");
  EXPECT_THAT(curl({"-I", ftp_url("/causeway.img")}).out,
              HasSubstr("Content-Length: 3000017\r\n"));
  EXPECT_THAT(curl({ftp_url("/causeway.img.sha256")}).out, HasSubstr("  causeway.img\n"));
  const auto fetch = row("fetch", "complete");
  EXPECT_EQ(fetch["protocol"], "ftp");
  EXPECT_EQ(fetch["actor"], "127.0.0.1");
  EXPECT_THAT(fetch["heard_on"], HasSubstr(" on lo"));
}

TEST_F(FtpClients, FetchAndSendOverIpv6) {
  stop();
  start({"--ftp-listen", "[::1]:0"});
  const auto out = server_out();
  const auto at = out.find("\nFTP listens on [::1]:");
  ASSERT_NE(at, std::string::npos) << out;
  const auto url = "ftp://[::1]:" + std::to_string(std::atoi(out.c_str() + at + 22));
  ftp_port_ = 0;
  for (const auto& way : std::vector<Arguments>{{}, {"-P", "-"}}) {
    auto arguments = way;
    arguments.insert(arguments.end(), {"-o", scratch_ / "got", url + "/causeway.img"});
    ASSERT_EQ(curl(arguments).code, 0);
    EXPECT_EQ(file("got"), image_);
  }
  fakes::write_file(scratch_ / "site.cfg", config_);
  ASSERT_EQ(curl({"-T", scratch_ / "site.cfg", url + "/site.cfg"}).code, 0);
  EXPECT_EQ(saved("::1", "site.cfg"), config_);
}

TEST_F(FtpClients, GoOnWithADownloadThatWasCut) {
  fakes::write_file(scratch_ / "curl", image_.substr(0, 1'000'000));
  ASSERT_EQ(curl({"-C", "-", "-o", scratch_ / "curl", ftp_url("/causeway.img")}).code, 0);
  EXPECT_EQ(file("curl"), image_);
  EXPECT_EQ(row("fetch", "complete")["sentence"], "from byte 1000000 of 3000017 on");
  fakes::write_file(scratch_ / "lftp", image_.substr(0, 2'000'000));
  ASSERT_EQ(lftp("set ftp:ssl-allow no; get -c causeway.img -o lftp").code, 0);
  EXPECT_EQ(file("lftp"), image_);
  // What is whole already stays as it is.
  ASSERT_EQ(curl({"-C", "-", "-o", scratch_ / "curl", ftp_url("/causeway.img")}).code, 0);
  EXPECT_EQ(file("curl"), image_);
  // More than there is.
  EXPECT_EQ(
      curl({"-C", "3000018", "-o", scratch_ / "more", ftp_url("/causeway.img")}).code,
      36);
}

TEST_F(FtpClients, LftpSeesFetchesAndSends) {
  const auto seen = lftp(
      "set ftp:ssl-allow no; cls -l; get causeway.img -o a; set ftp:passive-mode off; "
      "get causeway.img -o b; set ftp:passive-mode on; mirror north the-north; "
      "pget -n 4 causeway.img -o c");
  ASSERT_EQ(seen.code, 0) << seen.err;
  EXPECT_THAT(seen.out, HasSubstr("north/"));
  for (const auto* one : {"a", "b", "c"}) EXPECT_EQ(file(one), image_) << one;
  EXPECT_EQ(file("the-north/pump 7.img"), "for the north");
  fakes::write_file(scratch_ / "site.cfg", config_);
  ASSERT_EQ(lftp("set ftp:ssl-allow no; mkdir -p configs/new; cd configs/new; "
                 "put site.cfg")
                .code,
            0);
  EXPECT_EQ(saved("127.0.0.1", "configs/new/site.cfg"), config_);
  const auto refused = lftp("set ftp:ssl-allow no; get causway.img");
  EXPECT_NE(refused.code, 0);
  EXPECT_THAT(refused.err, HasSubstr("nearest: 'causeway.img'"));
  EXPECT_THAT(row("fetch", "refused")["sentence"], HasSubstr("nearest: 'causeway.img'"));
  EXPECT_THAT(lftp("set ftp:ssl-allow no; rm causeway.img").err,
              HasSubstr("Nothing is deleted over FTP"));
}

TEST_F(FtpClients, TheClassicOnesAreUnderstood) {
  fakes::write_file(scratch_ / "site.cfg", config_);
  for (const std::string client : {"inetutils-ftp", "tnftp"}) {
    const auto session =
        driven(client, "passive\nget causeway.img passive." + client +
                           "\npassive\nget causeway.img active." + client +
                           "\ncd north\ndir\nprompt\nmget *.img\nput site.cfg " + client +
                           ".cfg\nls *.img\nget none.img\n");
    EXPECT_EQ(file("passive." + client), image_) << session.out;
    EXPECT_EQ(file("active." + client), image_) << session.out;
    EXPECT_EQ(file("pump 7.img"), "for the north") << session.out;
    std::filesystem::remove(scratch_ / "pump 7.img");
    EXPECT_THAT(session.out, HasSubstr("550 'north/none.img' is not on offer"));
    EXPECT_THAT(session.out, HasSubstr("226 Filed: revision 1 of 'north/" + client));
    EXPECT_EQ(saved("127.0.0.1", "north/" + client + ".cfg"), config_);
  }
  // A whole address on the command line, as scripts have it.
  ASSERT_EQ(run({"tnftp", "-V", "-o", scratch_ / "auto", ftp_url("/causeway.img")},
                {{"HOME", scratch_.path()}})
                .code,
            0);
  EXPECT_EQ(file("auto"), image_);
}

TEST_F(FtpClients, TheSmallOnesAndTheBatchOnesAreUnderstood) {
  const auto port = std::to_string(ftp_port_);
  fakes::write_file(scratch_ / "site.cfg", config_);
  ASSERT_EQ(run({"busybox", "ftpget", "-P", port, "127.0.0.1", scratch_ / "small",
                 "causeway.img"})
                .code,
            0);
  EXPECT_EQ(file("small"), image_);
  ASSERT_EQ(run({"busybox", "ftpput", "-P", port, "127.0.0.1", "small.cfg",
                 scratch_ / "site.cfg"})
                .code,
            0);
  EXPECT_EQ(saved("127.0.0.1", "small.cfg"), config_);
  const Environment home{{"HOME", scratch_.path()}};
  ASSERT_EQ(
      run({"ncftpget", "-V", "-P", port, "127.0.0.1", scratch_.path(), "causeway.img"},
          home)
          .code,
      0);
  EXPECT_EQ(file("causeway.img"), image_);
  ASSERT_EQ(run({"ncftpput", "-V", "-m", "-P", port, "127.0.0.1", "configs/batch",
                 scratch_ / "site.cfg"},
                home)
                .code,
            0);
  EXPECT_EQ(saved("127.0.0.1", "configs/batch/site.cfg"), config_);
  EXPECT_THAT(run({"ncftpls", "-l", ftp_url("/")}, home).out, HasSubstr("causeway.img"));
  ASSERT_EQ(run({"wget", "-q", "-O", scratch_ / "wget", ftp_url("/causeway.img")}).code,
            0);
  EXPECT_EQ(file("wget"), image_);
}

TEST_F(FtpClients, SendAndAreToldWhenItIsFiled) {
  fakes::write_file(scratch_ / "site.cfg", config_);
  const auto sent = curl({"-v", "-T", scratch_ / "site.cfg", ftp_url("/a/b/site.cfg")});
  ASSERT_EQ(sent.code, 0) << sent.err;
  EXPECT_THAT(sent.err, HasSubstr("226 Filed: revision 1 of 'a/b/site.cfg' from "
                                  "127.0.0.1, 68.4 KiB; SHA-256 "));
  ASSERT_EQ(
      curl({"--ftp-create-dirs", "-T", scratch_ / "site.cfg", ftp_url("/a/b/site.cfg")})
          .code,
      0);
  const auto deposit = row("deposit", "complete");
  EXPECT_EQ(deposit["sentence"], "revision 1, seen again, unchanged");
  EXPECT_EQ(deposit["protocol"], "ftp");
  fakes::write_file(scratch_ / "empty", "");
  ASSERT_EQ(curl({"-T", scratch_ / "empty", ftp_url("/empty.cfg")}).code, 0);
  EXPECT_EQ(saved("127.0.0.1", "empty.cfg"), "");
}

// An upload that is killed in the middle stays as partial, and goes on.
TEST_F(FtpClients, GoOnWithAnUploadThatBrokeOff) {
  const auto large = fakes::noise(6'000'000, 9);
  fakes::write_file(scratch_ / "large", large);
  for (const std::string name : {"curl.img", "lftp.img"}) {
    {
      Process curl({"curl", "-sS", "--limit-rate", "2M", "-T", scratch_ / "large",
                    ftp_url("/" + name)},
                   {}, scratch_ / "out", scratch_ / "err");
      ASSERT_TRUE(eventually([&] {
        const auto running = vantro_json({"transfer", "list"})["transfers"];
        for (const auto& one : running) {
          if (one["name"] == name && one["bytes"].get<int>() > 1'000'000) return true;
        }
        return false;
      }));
      curl.signal(SIGKILL);
    }
    ASSERT_TRUE(eventually([&] {
      const auto all = vantro_json({"backup", "revisions"})["backups"];
      return std::any_of(all.begin(), all.end(), [&](const auto& one) {
        return one["name"] == name && one["complete"] == false;
      });
    }));
    const auto went_on =
        name == "curl.img"
            ? curl({"-C", "-", "-T", scratch_ / "large", ftp_url("/" + name)})
            : lftp("set ftp:ssl-allow no; put -c large -o " + name);
    ASSERT_EQ(went_on.code, 0) << went_on.err;
    EXPECT_EQ(saved("127.0.0.1", name), large);
    EXPECT_THAT(row("deposit", "complete")["sentence"].get<std::string>(),
                testing::StartsWith("revision 2; resumed at byte "));
    EXPECT_TRUE(std::filesystem::is_empty(state() + "/partial"));
    // Once it is whole nothing is put behind it.
    EXPECT_NE(curl({"-a", "-T", scratch_ / "large", ftp_url("/" + name)}).code, 0);
    EXPECT_THAT(row("deposit", "refused")["sentence"].get<std::string>(),
                HasSubstr("revision 2 is complete"));
  }
}

TEST_F(FtpClients, ExplicitTlsProtectsControlAndData) {
  restart_with_tls();
  const auto secure = [&](Arguments more) {
    more.insert(more.begin(), {"--ssl-reqd", "--cacert", scratch_ / "cert.pem"});
    return curl(more);
  };
  ASSERT_EQ(secure({"-o", scratch_ / "got", ftp_url("/causeway.img")}).code, 0);
  EXPECT_EQ(file("got"), image_);
  EXPECT_EQ(row("fetch", "complete")["protocol"], "ftps");
  // In active mode this curl does not begin with TLS on the data connection; lftp does.
  ASSERT_EQ(
      secure({"--tls-max", "1.2", "-o", scratch_ / "got", ftp_url("/causeway.img")}).code,
      0);
  EXPECT_EQ(file("got"), image_);
  fakes::write_file(scratch_ / "site.cfg", config_);
  ASSERT_EQ(secure({"-T", scratch_ / "site.cfg", ftp_url("/site.cfg")}).code, 0);
  EXPECT_EQ(saved("127.0.0.1", "site.cfg"), config_);
  EXPECT_EQ(row("deposit", "complete")["protocol"], "ftps");
  const auto seen = lftp(
      "set ftp:ssl-force true; set ftp:ssl-protect-data true; cls; "
      "get causeway.img -o lftp; put site.cfg -o lftp.cfg; "
      "set ftp:passive-mode off; get causeway.img -o active; put site.cfg -o active.cfg; "
      "set ftp:ssl-protect-data false; get causeway.img -o open");
  ASSERT_EQ(seen.code, 0) << seen.err;
  EXPECT_EQ(file("lftp"), image_);
  EXPECT_EQ(file("active"), image_);
  EXPECT_EQ(saved("127.0.0.1", "active.cfg"), config_);
  EXPECT_EQ(file("open"), image_);
  EXPECT_EQ(saved("127.0.0.1", "lftp.cfg"), config_);
  // Commands under TLS, the file in the clear.
  EXPECT_EQ(row("fetch", "complete")["protocol"], "ftp");
  EXPECT_THAT(vantro({"status"}).out, HasSubstr("ftps        listens on 127.0.0.1:"));
  EXPECT_THAT(vantro({"location", "causeway.img"}).out,
              HasSubstr(ftp_url("/causeway.img") +
                        "\n    under TLS; tell the client to use it\n"));
}

TEST_F(FtpClients, UnderTlsADataConnectionCanBeBoundToItsControlConnection) {
  restart_with_tls("same_session = true\n");
  for (const std::string version : {"1.2", "1.3"}) {
    const auto got = curl({"--ssl-reqd", "--cacert", scratch_ / "cert.pem", "--tls-max",
                           version, "-o", scratch_ / "got", ftp_url("/causeway.img")});
    EXPECT_EQ(got.code, 0) << version << got.err;
    EXPECT_EQ(file("got"), image_);
  }
  // Another client than the one that has logged in, or one that begins a new session.
  const auto other = run({"/usr/bin/python3", "-c",
                          "import ftplib, ssl\n"
                          "c = ftplib.FTP_TLS(context=ssl._create_unverified_context())\n"
                          "c.connect('127.0.0.1', " +
                              std::to_string(ftp_port_) +
                              ")\nc.login()\nc.prot_p()\n"
                              "try: c.retrbinary('RETR causeway.img', lambda b: None)\n"
                              "except Exception as e: print(e)\n"});
  EXPECT_THAT(other.out, HasSubstr("does not resume the TLS session of the control"));
}

// Anybody on the way can end a TCP connection: only the client's closing word says that
// it was all.
TEST_F(FtpClients, UnderTlsAnUploadThatIsCutIsPartial) {
  restart_with_tls();
  const auto upload = [&](const std::string& command, const std::string& how) {
    const auto done =
        run({"/usr/bin/python3", "-c",
             "import ftplib, os, ssl\n"
             "c = ftplib.FTP_TLS(context=ssl._create_unverified_context())\n"
             "c.connect('127.0.0.1', " +
                 std::to_string(ftp_port_) +
                 ")\nc.login()\nc.prot_p()\nc.voidcmd('TYPE I')\n"
                 "allo = '" +
                 command +
                 "'.split('|')\n"
                 "if len(allo) == 2: c.voidcmd(allo[1])\n"
                 "d = c.transfercmd(allo[0])\n"
                 "d.sendall(b'x' * 1000)\n" +
                 how +
                 "\ntry: print(c.voidresp())\n"
                 "except ftplib.Error as e: print(e)\n"});
    EXPECT_EQ(done.code, 0) << done.err;
    return done.out;
  };
  const std::string cut = "os.close(d.detach())";
  const std::string said = "d.unwrap()\nd.close()";
  EXPECT_THAT(upload("STOR cut.cfg", cut),
              StartsWith("426 The TLS data connection ended after 1000 bytes without "
                         "close_notify, so more may be missing"));
  EXPECT_THAT(upload("STOR said.cfg", said), StartsWith("226 Filed: revision 1"));
  EXPECT_THAT(upload("STOR all.cfg|ALLO 1000", cut), StartsWith("226 Filed: revision 1"));
  const auto state_of = [&](const std::string& name) {
    const auto all = vantro_json({"backup", "revisions", "127.0.0.1", name})["backups"];
    return all.at(0)["complete"].dump() + " " + all.at(0)["ending"].get<std::string>();
  };
  EXPECT_EQ(state_of("cut.cfg"), "false ");
  EXPECT_EQ(state_of("said.cfg"), "true ");
  EXPECT_EQ(state_of("all.cfg"), "true ");
  // Old clients that never say it.
  restart_with_tls("cut_ends_from = [\"127.0.0.0/8\"]\n");
  EXPECT_THAT(upload("STOR old.cfg", cut), StartsWith("226 Filed: revision 1"));
  EXPECT_EQ(state_of("old.cfg"), "true cut");
  EXPECT_THAT(vantro({"backup", "revisions", "127.0.0.1", "old.cfg"}).out,
              HasSubstr("TLS cut at its end"));
  EXPECT_THAT(row("deposit", "complete")["sentence"].get<std::string>(),
              HasSubstr("its TLS connection ended without close_notify"));
}

TEST_F(FtpClients, AnAccountCanDoWhatItMay) {
  restart_with_tls(
      "[[rule]]\nfrom = \"loopback\"\nmay = [\"fetch\", \"list\"]\n"
      "[[rule]]\nfrom = \"loopback\"\nmay = [\"deposit\", \"read-back\", \"hand-in\"]\n"
      "needs_account = true\nover = [\"ftps\"]\n");
  add_account("night", "fetch,deposit,read-back");
  add_account("office", "hand-in");
  fakes::write_file(scratch_ / "site.cfg", config_);
  EXPECT_EQ(curl({"-u", "night:wrong", ftp_url("/causeway.img")}).code, 67);
  EXPECT_EQ(row("log-in", "refused")["protocol"], "ftp");
  const auto url = "ftp://127.0.0.1:" + std::to_string(ftp_port_);
  const auto as = [&](const std::string& who, Arguments more) {
    more.insert(more.begin(), {"-v", "--ssl-reqd", "--cacert", scratch_ / "cert.pem",
                               "-u", who + ":night and day"});
    return curl(more);
  };
  EXPECT_THAT(curl({"-v", "-T", scratch_ / "site.cfg", url + "/site.cfg"}).err,
              HasSubstr("550 sending a backup is not open to 127.0.0.1 over ftp"));
  ASSERT_EQ(as("night", {"-T", scratch_ / "site.cfg", url + "/site.cfg"}).code, 0);
  EXPECT_EQ(row("deposit", "complete")["account"], "night");
  EXPECT_EQ(as("night", {url + "/backups/site.cfg"}).out, config_);
  EXPECT_EQ(as("night", {url + "/backups/revision-1/site.cfg"}).out, config_);
  EXPECT_EQ(as("night", {"-l", url + "/backups/"}).out, "site.cfg\n");
  EXPECT_EQ(as("night", {"-l", url + "/"}).out, "backups\ncauseway.img\nhello\nnorth\n");
  // Handing in: looked into as an operator's image is.
  fakes::write_file(scratch_ / "new.img", fakes::noise(200'000, 11));
  const auto handed = as("office", {"-T", scratch_ / "new.img", url + "/intake/new.img"});
  ASSERT_EQ(handed.code, 0) << handed.err;
  EXPECT_THAT(handed.err, HasSubstr("226 Filed: "));
  EXPECT_EQ(curl({"-o", scratch_ / "got", url + "/new.img"}).code, 0);
  EXPECT_EQ(file("got"), fakes::noise(200'000, 11));
  EXPECT_NE(as("night", {"-T", scratch_ / "new.img", url + "/intake/new.img"}).code, 0);
}

TEST_F(FtpClients, AnAccountThatOnlySendsCanGoIntoFolders) {
  add_account("sender", "deposit");
  fakes::write_file(scratch_ / "site.cfg", config_);
  const auto url = ftp_url("");
  const auto as_sender = [&](Arguments more) {
    more.insert(more.begin(), {"-v", "-u", "sender:night and day"});
    return curl(more);
  };
  ASSERT_EQ(as_sender({"-T", scratch_ / "site.cfg", url + "/north/site.cfg"}).code, 0);
  ASSERT_EQ(as_sender({"--ftp-create-dirs", "-T", scratch_ / "site.cfg",
                       url + "/new/deep/site.cfg"})
                .code,
            0);
  EXPECT_EQ(saved("127.0.0.1", "new/deep/site.cfg"), config_);
  EXPECT_THAT(as_sender({url + "/causeway.img"}).err,
              HasSubstr("550 fetching with account 'sender' is not allowed"));
  EXPECT_THAT(as_sender({url + "/"}).err, HasSubstr("550 "));
  EXPECT_THAT(as_sender({"-Q", "MKD intake/x", url + "/"}).err,
              HasSubstr("550 handing an image in with account 'sender' is not allowed"));
}

TEST_F(FtpClients, AreAnonymousOnlyWhereSomethingIsOpen) {
  restart_with_tls(
      "[[rule]]\nfrom = \"loopback\"\nmay = \"fetch\"\nneeds_account = true\n");
  const auto refused = curl({"-v", ftp_url("/causeway.img")});
  EXPECT_EQ(refused.code, 67);
  EXPECT_THAT(refused.err, HasSubstr("530 fetching needs an account"));
  add_account("night", "fetch");
  EXPECT_EQ(curl({"-u", "night:night and day", "-o", scratch_ / "got",
                  ftp_url("/causeway.img")})
                .code,
            0);
}

TEST_F(FtpClients, WatchShowsOneTransferForBothConnections) {
  // More than the system takes ahead.
  take_in("large.img", fakes::noise(40'000'000, 3));
  Process slow({"curl", "-sS", "--limit-rate", "1M", "-o", scratch_ / "slow",
                ftp_url("/large.img")},
               {}, scratch_ / "out", scratch_ / "err");
  nlohmann::json seen;
  ASSERT_TRUE(eventually([&] {
    seen = vantro_json({"transfer", "list"})["transfers"];
    std::erase_if(seen.get_ref<nlohmann::json::array_t&>(),
                  [](const auto& one) { return one["protocol"] != "ftp"; });
    return seen.size() == 1 && seen[0]["bytes"].get<int>() > 100'000;
  }));
  EXPECT_EQ(seen[0]["protocol"], "ftp");
  EXPECT_EQ(seen[0]["name"], "large.img");
  EXPECT_EQ(seen[0]["peer"], "127.0.0.1");
  EXPECT_EQ(seen[0]["total"], 40'000'000);
  slow.signal(SIGKILL);
  EXPECT_TRUE(eventually([&] {
    const auto rows = ledger();
    return rows[0]["event"] == "fetch" && rows[0]["outcome"] == "abandoned";
  }));
}

}  // namespace
}  // namespace vantro::end_to_end
