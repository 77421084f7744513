// SCP and SFTP with clients that are not ours: what they fetch, send and make of
// refusals.
#include <gmock/gmock.h>
#include <signal.h>
#include <sys/stat.h>

#include "tests/end_to_end/ssh_fixture.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;
using testing::Not;
using testing::StartsWith;

class SshClients : public SshFixture {
 protected:
  void SetUp() override {
    SshFixture::SetUp();
    take_in("causeway.img", image_);
    take_in("north/pump 7.img", "for the north");
    take_in("Schöpfwerk's \"new\".img", "odd");
  }
  Output curl(Arguments arguments) {
    arguments.insert(arguments.begin(), {"curl", "-sS", "-m", "60", "-k", "-u",
                                         std::string("night:") + kPassword});
    return run(arguments);
  }
  std::string fingerprint(const std::string& type) {
    const auto keys = vantro_json({"status"})["ssh"]["host_keys"];
    for (const auto& key : keys) {
      if (key["type"] == type) return key["fingerprint"];
    }
    return "";
  }

  const std::string image_ = fakes::noise(3'000'017, 7);
  const std::string config_ = fakes::noise(70'001, 8);
};

TEST_F(SshClients, ScpFetchesInBothWays) {
  for (const bool classic : {true, false}) {
    auto done = scp(classic, {"-p", "v:causeway.img", "got"});
    ASSERT_EQ(done.code, 0) << done.err;
    EXPECT_EQ(done.err, "");
    EXPECT_EQ(file("got"), image_);
    // A leading slash means nothing; what the remote shell would take is quoted for it.
    const std::string quoted = classic ? "v:/north/pump\\ 7.img" : "v:/north/pump 7.img";
    ASSERT_EQ(scp(classic, {quoted, "got"}).code, 0);
    EXPECT_EQ(file("got"), "for the north");
    const std::string odd =
        classic ? "v:Schöpfwerk\\'s\\ \\\"new\\\".img" : "v:Schöpfwerk's \"new\".img";
    ASSERT_EQ(scp(classic, {odd, "got"}).code, 0);
    EXPECT_EQ(file("got"), "odd");
    EXPECT_EQ(newest("fetch"), "complete: ");
  }
  // A name that is not quoted, although it should be.
  ASSERT_EQ(scp(true, {"v:north/pump 7.img", "got"}).code, 0);
  EXPECT_EQ(file("got"), "for the north");
  const auto row_ = row("fetch", "complete");
  EXPECT_EQ(row_["account"], "night");
  EXPECT_EQ(row_["protocol"], "scp");
}

TEST_F(SshClients, ScpSendsInBothWays) {
  fakes::write_file(scratch_ / "pump 7.cfg", config_);
  fakes::write_file(scratch_ / "empty", "");
  for (const bool classic : {true, false}) {
    const std::string to = classic ? "old" : "new";
    auto done = scp(classic, {"-p", "pump 7.cfg", "v:"});
    ASSERT_EQ(done.code, 0) << done.err;
    EXPECT_EQ(done.err, "");
    EXPECT_EQ(saved("127.0.0.1", "pump 7.cfg"), config_);
    ASSERT_EQ(scp(classic, {"pump 7.cfg", "v:" + to + ".cfg"}).code, 0);
    EXPECT_EQ(saved("127.0.0.1", to + ".cfg"), config_);
    ASSERT_EQ(scp(classic, {"pump 7.cfg", "empty", "v:/"}).code, 0);
    EXPECT_EQ(saved("127.0.0.1", "empty"), "");
    ASSERT_EQ(scp(classic, {"pump 7.cfg", "v:intake/" + to + ".img"}).code, 0);
    EXPECT_EQ(vantro({"image", "info", to + ".img"}).code, 0);
  }
  // The same bytes came four times, and can be read back.
  EXPECT_EQ(vantro_json({"backup", "info", "127.0.0.1", "pump 7.cfg"})["times_seen"], 4);
  ASSERT_EQ(scp(true, {"v:backups/revision-1/pump*7.cfg", "got"}).code, 1);
  ASSERT_EQ(scp(true, {"v:backups/revision-1/pump\\ 7.cfg", "got"}).code, 0);
  EXPECT_EQ(file("got"), config_);
}

TEST_F(SshClients, ScpSendsAFolder) {
  std::filesystem::create_directories(scratch_ / "site/pumps");
  fakes::write_file(scratch_ / "site/a.cfg", "a");
  fakes::write_file(scratch_ / "site/pumps/b.cfg", "b");
  auto done = scp(true, {"-r", "site", "v:"});
  ASSERT_EQ(done.code, 0) << done.err;
  EXPECT_EQ(saved("127.0.0.1", "site/pumps/b.cfg"), "b");
  done = scp(false, {"-r", "site", "v:east"});
  ASSERT_EQ(done.code, 0) << done.err;
  EXPECT_EQ(saved("127.0.0.1", "east/a.cfg"), "a");
  EXPECT_EQ(saved("127.0.0.1", "east/pumps/b.cfg"), "b");
}

TEST_F(SshClients, ARefusalIsOnTheScreen) {
  EXPECT_EQ(scp(true, {"v:cuaseway.img", "got"}).err,
            "vantrod: 'cuaseway.img' is not on offer; nearest: 'causeway.img'\n");
  const auto found_nothing = scp(false, {"v:cuaseway.img", "got"});
  EXPECT_EQ(found_nothing.code, 1);
  EXPECT_THAT(found_nothing.err,
              HasSubstr("vantrod: 'cuaseway.img' is not on offer; nearest: "
                        "'causeway.img'\n"));
  // It has only looked, and never opened: for it that was the answer.
  EXPECT_EQ(row("fetch", "refused")["name"], "cuaseway.img");
  EXPECT_EQ(scp(true, {"-r", "v:north", "got"}).err,
            "vantrod: 'north' is a folder; fetch its files one by one (sftp "
            "lists them)\n");
  ASSERT_EQ(vantro({"account", "change", "night", "--may", "fetch"}).code, 0);
  fakes::write_file(scratch_ / "a.cfg", "a");
  for (const bool classic : {true, false}) {
    const auto refused = scp(classic, {"a.cfg", "v:"});
    EXPECT_EQ(refused.code, 1);
    EXPECT_THAT(refused.err, HasSubstr("sending a backup with account 'night' is not "
                                       "allowed"));
  }
}

TEST_F(SshClients, SftpDoesItsUsualThings) {
  fakes::write_file(scratch_ / "a b.cfg", config_);
  const auto done = sftp(
      "get causeway.img\nls -l\nls -la north\nput -p \"a b.cfg\"\nls -l backups\nmkdir "
      "new\n"
      "put \"a b.cfg\" new/x\n-rm causeway.img\n-rename causeway.img b\n-ls "
      "none\npwd\ncd "
      "north\nget \"pump 7.img\" got\nput -f \"a b.cfg\" synced\n");
  EXPECT_EQ(done.code, 0) << done.err;
  EXPECT_EQ(file("causeway.img"), image_);
  EXPECT_EQ(file("got"), "for the north");
  EXPECT_THAT(done.out, HasSubstr(" vantro vantro      3000017 "));
  EXPECT_THAT(done.out, HasSubstr("Remote working directory: /\n"));
  EXPECT_THAT(done.err,
              HasSubstr("vantrod: 'causeway.img' stays; nothing is removed over SFTP\n"));
  EXPECT_THAT(done.err, HasSubstr("'causeway.img' keeps its name"));
  EXPECT_EQ(saved("127.0.0.1", "a b.cfg"), config_);
  EXPECT_EQ(saved("127.0.0.1", "new/x"), config_);
  EXPECT_EQ(saved("127.0.0.1", "north/synced"), config_);
}

TEST_F(SshClients, SftpGoesOnWithAFetch) {
  fakes::write_file(scratch_ / "causeway.img", image_.substr(0, 1'000'000));
  const auto done = sftp("reget causeway.img\n");
  EXPECT_EQ(done.code, 0) << done.err;
  EXPECT_EQ(file("causeway.img"), image_);
  EXPECT_EQ(newest("fetch"), "complete: from byte 1000000 of 3000017 on");
}

// Whoever is killed leaves a part; the same client, and others, go on behind it.
TEST_F(SshClients, AnUploadThatBreaksOffIsGoneOnWith) {
  const auto large = fakes::noise(40'000'000, 9);
  fakes::write_file(scratch_ / "large", large);
  for (const std::string how : {"sftp", "curl"}) {
    for (const bool classic : {true, false}) {
      const auto name = how + (classic ? "-scp" : "-sftp");
      auto command = with_config("scp", {"-q", "-l", "80000", "large", "v:" + name});
      if (classic) command.insert(command.begin() + 1, "-O");
      Process sending(command, {}, scratch_ / "out", scratch_ / "err", "",
                      scratch_.path());
      ASSERT_TRUE(eventually([&] {
        const auto running = vantro_json({"transfer", "list"})["transfers"];
        for (const auto& one : running) {
          if (one["name"] == name && one["bytes"].get<int>() > 1'000'000) return true;
        }
        return false;
      }));
      // Its ssh ends with it.
      sending.signal(SIGTERM);
      sending.wait();
      nlohmann::json partial;
      ASSERT_TRUE(eventually([&] {
        const auto all = vantro_json({"backup", "revisions"})["backups"];
        for (const auto& one : all) {
          if (one["name"] == name && one["complete"] == false) partial = one;
        }
        return !partial.is_null();
      }));
      EXPECT_GT(partial["size"], 1'000'000);
      const auto went_on =
          how == "sftp"
              ? sftp("reput large " + name + "\n")
              : curl({"-C", "-", "-T", scratch_ / "large", ssh_url("sftp", "/" + name)});
      ASSERT_EQ(went_on.code, 0) << name << went_on.err;
      EXPECT_TRUE(fakes::same_bytes(saved("127.0.0.1", name), large)) << name;
      EXPECT_THAT(newest("deposit"), HasSubstr("; resumed at byte "));
    }
  }
  EXPECT_TRUE(std::filesystem::is_empty(state() + "/partial"));
}

TEST_F(SshClients, AFetchThatIsCutIsOnRecord) {
  take_in("large.img", fakes::noise(60'000'000, 9));
  for (const bool classic : {true, false}) {
    auto command = with_config("scp", {"-q", "-l", "80000", "v:large.img", "got"});
    if (classic) command.insert(command.begin() + 1, "-O");
    Process fetching(command, {}, scratch_ / "out", scratch_ / "err", "",
                     scratch_.path());
    ASSERT_TRUE(eventually([&] {
      const auto running = vantro_json({"transfer", "list"})["transfers"];
      return !running.empty() && running[0]["state"] == "running" &&
             running[0]["bytes"].get<int>() > 1'000'000;
    }));
    fetching.signal(SIGTERM);
    fetching.wait();
    // A row comes a moment after its transfer's end.
    EXPECT_TRUE(eventually([&] {
      return row("fetch", "abandoned")["protocol"] == (classic ? "scp" : "sftp");
    }));
    EXPECT_EQ(row("fetch", "abandoned")["sentence"], "the client disconnected");
  }
}

TEST_F(SshClients, CurlFetchesAndSends) {
  fakes::write_file(scratch_ / "cfg", config_);
  for (const std::string scheme : {"scp", "sftp"}) {
    for (const std::string path : {"/causeway.img", "/~/causeway.img"}) {
      const auto got = curl({"-o", scratch_ / "got", ssh_url(scheme, path)});
      ASSERT_EQ(got.code, 0) << got.err;
      EXPECT_EQ(file("got"), image_);
    }
    // libssh2 agrees to nothing behind the last byte, either.
    nlohmann::json rows;
    EXPECT_TRUE(eventually([&] {
      rows = ledger();
      return std::count_if(rows.begin(), rows.end(), [&](const auto& one) {
               return one["event"] == "fetch" && one["protocol"] == scheme &&
                      one["outcome"] == "complete";
             }) == 2;
    })) << rows;
    const auto name = scheme + " 1.cfg";
    const auto put =
        curl({"-T", scratch_ / "cfg", ssh_url(scheme, "/" + scheme + "%201.cfg")});
    ASSERT_EQ(put.code, 0) << put.err;
    EXPECT_EQ(saved("127.0.0.1", name), config_);
    // libssh2 never sends the end byte; all that was announced has come.
    EXPECT_EQ(newest("deposit"),
              scheme == "scp" ? "complete: revision 1"
                              : "complete: revision 1; the client closed an upload of "
                                "unknown size");
    EXPECT_NE(curl({ssh_url(scheme, "/none")}).code, 0);
  }
  fakes::write_file(scratch_ / "got", image_.substr(0, 1'000'000));
  ASSERT_EQ(
      curl({"-C", "-", "-o", scratch_ / "got", ssh_url("sftp", "/causeway.img")}).code,
      0);
  EXPECT_EQ(file("got"), image_);
  EXPECT_THAT(curl({"-l", ssh_url("sftp", "/")}).out, HasSubstr("causeway.img\n"));
}

TEST_F(SshClients, PscpAndPsftpFetchAndSend) {
  fakes::write_file(scratch_ / "a b.cfg", config_);
  const Arguments common{"-batch",  "-P",       std::to_string(ssh_port_), "-pw",
                         kPassword, "-hostkey", fingerprint("ssh-ed25519")};
  const auto putty = [&](const std::string& program, Arguments more) {
    more.insert(more.begin(), common.begin(), common.end());
    more.insert(more.begin(), program);
    return run(more, {{"HOME", scratch_.path()}}, "", scratch_.path());
  };
  for (const std::string way : {"-scp", "-sftp"}) {
    const auto got = putty("pscp", {"-q", way, "night@127.0.0.1:causeway.img", "got"});
    ASSERT_EQ(got.code, 0) << got.err;
    EXPECT_EQ(file("got"), image_);
    const auto put = putty("pscp", {"-q", way, "a b.cfg", "night@127.0.0.1:p" + way});
    ASSERT_EQ(put.code, 0) << put.err;
    EXPECT_EQ(saved("127.0.0.1", "p" + way), config_);
    // Into a folder.
    const auto into =
        putty("pscp", {"-q", way, "a b.cfg", "night@127.0.0.1:south" + way + "/"});
    ASSERT_EQ(into.code, 0) << into.err;
    EXPECT_EQ(saved("127.0.0.1", "south" + way + "/a b.cfg"), config_);
  }
  fakes::write_file(
      scratch_ / "batch",
      "ls\nget causeway.img g2\nput \"a b.cfg\" p2\nmkdir d\nput \"a b.cfg\" "
      "d/p3\nquit\n");
  const auto session = putty("psftp", {"-b", "batch", "night@127.0.0.1"});
  EXPECT_EQ(session.code, 0) << session.out << session.err;
  EXPECT_EQ(file("g2"), image_);
  EXPECT_EQ(saved("127.0.0.1", "d/p3"), config_);
  // "reput" behind what came before.
  ASSERT_EQ(
      python("s = paramiko.SFTPClient.from_transport(t)\n"
             "f = s.open('/p4', 'w')\nf.write(open('a b.cfg','rb').read()[:30000])\n"
             "f.flush()\nt.sock.close()\n")
          .code,
      0);
  EXPECT_THAT(newest("deposit"), StartsWith("abandoned: "));
  backups(7);
  fakes::write_file(scratch_ / "batch", "reput \"a b.cfg\" p4\nquit\n");
  const auto went_on = putty("psftp", {"-b", "batch", "night@127.0.0.1"});
  EXPECT_EQ(went_on.code, 0) << went_on.out << went_on.err;
  EXPECT_EQ(saved("127.0.0.1", "p4"), config_);
}

TEST_F(SshClients, ParamikoPrefetchesAndLooksAfterItsUploads) {
  fakes::write_file(scratch_ / "cfg", config_);
  const auto done = python(
      "s = paramiko.SFTPClient.from_transport(t)\n"
      "s.get('/causeway.img', 'got')\n"
      "print(s.put('cfg', '/p.cfg').st_size, s.put('cfg', '/intake/p.img').st_size)\n"
      "f = s.open('causeway.img')\n"
      "f.prefetch()\n"
      "f.seek(1000000)\na = f.read(500000)\nf.seek(0)\nb = f.read()\n"
      "print(a == b[1000000:1500000], len(b))\nf.close()\n"
      "print(sorted(s.listdir('/north')), s.stat('/north').st_mode & 0o40000)\n"
      "try:\n  s.stat('/nothing')\nexcept FileNotFoundError: print('not found')\n"
      "s.chmod('/p.cfg', 0o600)\n"
      "try:\n  s.remove('/p.cfg')\nexcept PermissionError as e: print('not removed')\n");
  EXPECT_EQ(done.code, 0) << done.err;
  EXPECT_EQ(file("got"), image_);
  EXPECT_EQ(done.out,
            "70001 70001\nTrue 3000017\n['pump 7.img'] 16384\nnot found\nnot removed\n");
  EXPECT_EQ(saved("127.0.0.1", "p.cfg"), config_);
  // Three channels in one connection, small windows and packets.
  const auto several = python(
      "cs = []\n"
      "for i in range(3):\n"
      "  c = t.open_session(window_size=32768, max_packet_size=4096)\n"
      "  c.invoke_subsystem('sftp')\n"
      "  cs.append(paramiko.SFTPClient(c))\n"
      "fs = [c.open('/causeway.img') for c in cs]\n"
      "for f in fs: f.prefetch()\n"
      "print(len({f.read() for f in fs}), fs[0].stat().st_size)\n");
  EXPECT_EQ(several.code, 0) << several.err;
  EXPECT_EQ(several.out, "1 3000017\n");
}

TEST_F(SshClients, NewKeysInTheMiddleOfATransfer) {
  fakes::write_file(scratch_ / "cfg", image_);
  for (const bool classic : {true, false}) {
    ASSERT_EQ(scp(classic, {"-o", "RekeyLimit=300K", "v:causeway.img", "got"}).code, 0);
    EXPECT_EQ(file("got"), image_);
    ASSERT_EQ(scp(classic, {"-o", "RekeyLimit=300K", "cfg", "v:rekeyed"}).code, 0);
    EXPECT_EQ(saved("127.0.0.1", "rekeyed"), image_);
  }
}

TEST_F(SshClients, EveryCipherAndKeyExchange) {
  for (const std::string list : {"cipher", "kex", "mac"}) {
    const auto known = run({"ssh", "-Q", list}).out;
    int tried = 0;
    for (std::size_t at = 0; at < known.size();) {
      const auto end = known.find('\n', at);
      const auto name = known.substr(at, end - at);
      at = end + 1;
      const auto option = list == "cipher" ? "Ciphers=" + name
                          : list == "kex"  ? "KexAlgorithms=" + name
                                           : "MACs=" + name;
      auto arguments = Arguments{"-o", option, "v:north/pump 7.img", "got"};
      if (list == "mac") {
        arguments.insert(arguments.begin(), {"-o", "Ciphers=aes128-ctr"});
      }
      const bool old = name.find("-cbc") != std::string::npos ||
                       name.find("sha1") != std::string::npos ||
                       name.find("md5") != std::string::npos ||
                       name.find("umac") != std::string::npos ||
                       name.find("sntrup") != std::string::npos ||
                       name.find("group-exchange") != std::string::npos ||
                       name.find("group18") != std::string::npos;
      EXPECT_EQ(scp(false, arguments).code, old ? 255 : 0) << option;
      tried += old ? 0 : 1;
    }
    EXPECT_GE(tried, 4) << list;
  }
}

TEST_F(SshClients, OnlyAccountsGetIn) {
  make_key("other");
  const auto wrong_key = scp(true, {"-i", scratch_ / "other", "-o", "IdentityFile=none",
                                    "v:causeway.img", "got"});
  EXPECT_EQ(wrong_key.code, 0) << "the configured key is good: " << wrong_key.err;
  const auto as = [&](const std::string& user, const std::string& password) {
    return run({"curl", "-sS", "-m", "30", "-k", "-u", user + ":" + password, "-o",
                scratch_ / "got", ssh_url("sftp", "/causeway.img")})
        .code;
  };
  constexpr int kLogInDenied = 67;
  EXPECT_EQ(as("night", kPassword), 0);
  EXPECT_EQ(as("night", "day and night"), kLogInDenied);
  EXPECT_EQ(as("anonymous", "me@example.net"), kLogInDenied);
  EXPECT_EQ(as("nobody", "x"), kLogInDenied);
  EXPECT_EQ(newest("log-in"), "refused: the name or its password is wrong");
  // With the other key alone.
  auto config = file("ssh_config");
  config.replace(config.find(scratch_ / "key"), (scratch_ / "key").size(),
                 scratch_ / "other");
  fakes::write_file(scratch_ / "ssh_config", config);
  EXPECT_EQ(scp(true, {"v:causeway.img", "got"}).code, 1);
  EXPECT_TRUE(eventually([&] {
    return newest("log-in") ==
           "refused: the offered key is not a key of that account; 'vantro "
           "account "
           "key add' lets one in";
  }));
  EXPECT_EQ(row("log-in", "refused")["name"], "night");
  ASSERT_EQ(vantro({"account", "key", "add", "night", scratch_ / "other.pub", "--remark",
                    "old laptop"})
                .code,
            0);
  EXPECT_EQ(scp(true, {"v:causeway.img", "got"}).code, 0);
  EXPECT_THAT(vantro({"account", "key", "list", "night"}).out, HasSubstr("old laptop"));
  ASSERT_EQ(vantro({"account", "key", "remove", "night", "old laptop", "--yes"}).code, 0);
  EXPECT_EQ(scp(true, {"v:causeway.img", "got"}).code, 1);
  EXPECT_EQ(vantro({"account", "key", "remove", "night", "old laptop", "--yes"}).code, 5);
}

TEST_F(SshClients, RsaAndEcdsaKeysAreGoodToo) {
  for (const std::string type : {"rsa", "ecdsa"}) {
    make_key(type, type);
    ASSERT_EQ(vantro({"account", "key", "add", "night", scratch_ / (type + ".pub")}).code,
              0);
    const auto done = scp(false, {"-o", "IdentityFile=\"" + (scratch_ / type) + "\"",
                                  "v:causeway.img", "got"});
    EXPECT_EQ(done.code, 0) << type << done.err;
  }
}

TEST_F(SshClients, AFileIsSentIntoAFolderUnderItsOwnName) {
  fakes::write_file(scratch_ / "site.cfg", "one");
  fakes::write_file(scratch_ / "core.cfg", "two");
  for (const bool classic : {false, true}) {
    const auto folder = classic ? "classic/" : "north/";
    ASSERT_EQ(scp(classic, {"site.cfg", std::string("v:") + folder}).code, 0);
    ASSERT_EQ(scp(classic, {"core.cfg", std::string("v:") + folder}).code, 0);
    EXPECT_EQ(saved("127.0.0.1", std::string(folder) + "site.cfg"), "one");
    EXPECT_EQ(saved("127.0.0.1", std::string(folder) + "core.cfg"), "two");
  }
  const auto all = backups(4);
  for (const auto& one : all) {
    EXPECT_NE(one["name"], "north");
  }
  // The client never told how much would come.
  EXPECT_EQ(all[3]["name"], "north/site.cfg");
  EXPECT_EQ(all[3]["ending"], "unknown-size");
}

TEST_F(SshClients, AnAccountThatIsSwitchedOffGetsNoMore) {
  fakes::write_file(scratch_ / "cfg", config_);
  // In the middle of a session: the next file is refused, with the reason.
  const auto done = python(
      "import subprocess\n"
      "s = paramiko.SFTPClient.from_transport(t)\n"
      "print(len(s.open('/causeway.img').read()))\n"
      "f = s.open('/causeway.img')\na = f.read(1000)\n"
      "subprocess.run(['" +
      vantro_program() + "', '--url', '" + socket() + "', '--token-file', '" + state() +
      "/token', 'account', 'change', 'night', '--off'], check=True)\n"
      "for what in (lambda: s.open('/causeway.img'), lambda: s.put('cfg', '/x.cfg')):\n"
      "  try:\n    what()\n  except PermissionError as e: print(e)\n"
      // What has begun goes on to its end.
      "print(len(a + f.read()))\n");
  EXPECT_EQ(done.code, 0) << done.err;
  EXPECT_THAT(done.out, StartsWith("3000017\nnight\n"));
  EXPECT_THAT(done.out, HasSubstr("fetching with account 'night' is switched off\n"));
  EXPECT_THAT(done.out,
              HasSubstr("sending a backup with account 'night' is switched off\n"));
  EXPECT_THAT(done.out, testing::EndsWith("\n3000017\n"));
  ASSERT_EQ(vantro({"account", "remove", "night", "--yes"}).code, 0);
  EXPECT_EQ(scp(true, {"v:causeway.img", "got"}).code, 1);
}

TEST_F(SshClients, RunsNoCommands) {
  for (const auto& command : std::vector<Arguments>{{"v"}, {"v", "show", "version"}}) {
    const auto told = ssh(command);
    EXPECT_EQ(told.code, 1);
    EXPECT_EQ(told.out, "");
    EXPECT_THAT(told.err, StartsWith("vantrod: hands out device images and receives "
                                     "backups over scp and sftp (version "));
    EXPECT_THAT(told.err, testing::EndsWith("); it runs no commands\n"));
  }
  EXPECT_THAT(ssh({"-tt", "v"}).out + ssh({"-tt", "v"}).err,
              HasSubstr("no commands\r\n"));
  EXPECT_THAT(ssh({"v", "scp", "-X"}).err, HasSubstr("scp -X is not supported"));
  // Nor does it lead elsewhere.
  EXPECT_NE(ssh({"-W", "127.0.0.1:" + std::to_string(management_port_), "v"}).code, 0);
  EXPECT_NE(ssh({"-s", "v", "netconf"}).code, 0);
}

TEST_F(SshClients, MoreThanFourGibibytes) {
  // Taking so much in would take a minute: the record and the file are made large by
  // hand.
  constexpr std::uint64_t kSize = (std::uint64_t{4} << 30) + 5;
  const auto sha =
      vantro_json({"image", "info", "causeway.img"})["image"]["digests"]["sha256"]
          .get<std::string>();
  stop();
  const auto stored = state() + "/vault/" + sha.substr(0, 2) + "/" + sha;
  ASSERT_EQ(::chmod(stored.c_str(), 0600), 0);
  ASSERT_EQ(::truncate(stored.c_str(), kSize), 0);
  change_database("update images set size = " + std::to_string(kSize) +
                  " where sha256 = '" + sha + "'");
  start();
  configure();
  // A minute where the machine has something else to do.
  const auto whole =
      run({"sh", "-c",
           "scp -q -O -c aes128-gcm@openssh.com -F '" + (scratch_ / "ssh_config") +
               "' v:causeway.img /dev/stdout | wc -c"},
          {}, "", "", std::chrono::seconds(200));
  EXPECT_EQ(whole.out, std::to_string(kSize) + "\n") << whole.err;
  // Its last bytes, with offsets that need more than 32 bits.
  const auto rest =
      curl({"-r", std::to_string(kSize - 5) + "-", ssh_url("sftp", "/causeway.img")});
  EXPECT_EQ(rest.out, std::string(5, '\0')) << rest.err;
}

TEST_F(SshClients, TwentyAtOnceGetTheirOwnBytes) {
  constexpr int kClients = 20;
  std::vector<std::unique_ptr<Process>> clients;
  for (int i = 0; i < kClients; ++i) {
    const auto n = std::to_string(i);
    fakes::write_file(scratch_ / ("in" + n), fakes::noise(500'000, 100 + i));
    auto command = i % 4 < 2 ? with_config("scp", {"-q", "v:causeway.img", "out" + n})
                             : with_config("scp", {"-q", "in" + n, "v:sent" + n});
    if (i % 2 == 0) command.insert(command.begin() + 1, "-O");
    clients.push_back(
        std::make_unique<Process>(command, Environment{}, scratch_ / ("stdout" + n),
                                  scratch_ / ("stderr" + n), "", scratch_.path()));
  }
  for (int i = 0; i < kClients; ++i) {
    const auto n = std::to_string(i);
    ASSERT_EQ(clients[i]->wait(), 0) << file("stderr" + n);
    if (i % 4 < 2) {
      EXPECT_EQ(file("out" + n), image_) << i;
    } else {
      EXPECT_EQ(saved("127.0.0.1", "sent" + n), file("in" + n)) << i;
    }
  }
}

TEST_F(SshClients, LocationsCanBePasted) {
  const auto told = vantro({"location", "causeway.img", "--account", "night"});
  ASSERT_EQ(told.code, 0) << told.err;
  const auto port = std::to_string(ssh_port_);
  for (const std::string scheme : {"scp", "sftp"}) {
    const auto text = scheme + "://night@127.0.0.1:" + port + "/causeway.img";
    EXPECT_THAT(told.out, HasSubstr(text + "\n"));
    const auto got = scp(false, {"-i", scratch_ / "key", text, "got"});
    EXPECT_EQ(scheme == "scp" ? got.code : 0, 0) << got.err;
  }
  EXPECT_THAT(vantro({"location", "causeway.img", "--device", "127.0.0.1"}).out,
              HasSubstr("needs an account: give one with --account NAME"));
}

TEST_F(SshClients, WhatWasNotReadForLongIsReadBeforeADeviceGetsIt) {
  take_in("damaged.img", fakes::noise(3'000'000, 2));
  const auto stored = age_and_damage("damaged.img");
  configure();
  for (const bool classic : {true, false}) {
    ASSERT_EQ(scp(classic, {"v:causeway.img", "got"}).code, 0);
    EXPECT_EQ(file("got"), image_);
    EXPECT_NE(scp(classic, {"v:damaged.img", "bad"}).code, 0);
    EXPECT_FALSE(std::filesystem::exists(stored));
  }
}

}  // namespace
}  // namespace vantro::end_to_end
