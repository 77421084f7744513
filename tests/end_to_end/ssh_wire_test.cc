// SSH with clients that are slow, broken or hostile, and with those that can't do better.
#include <fcntl.h>
#include <gmock/gmock.h>
#include <random>
#include <signal.h>
#include <sys/stat.h>

#include "tests/end_to_end/ssh_fixture.h"
#include "tests/end_to_end/tcp_peer.h"

namespace vantro::end_to_end {
namespace {

using testing::AnyOf;
using testing::HasSubstr;
using testing::StartsWith;

class SshWire : public SshFixture {
 protected:
  void SetUp() override {
    SshFixture::SetUp();
    take_in("causeway.img", image_);
  }
  bool alive() {
    return scp(true, {"v:causeway.img", "got"}).code == 0 && file("got") == image_;
  }
  std::string contact_sentence() {
    std::string all;
    const auto lines = vantro_json({"contact", "127.0.0.1"})["lines"];
    for (const auto& line : lines) {
      all += line["sentence"].get<std::string>() + "\n";
    }
    return all;
  }
  // OpenSSH's options for a device that can do no better.
  const Arguments older_{"-o", "KexAlgorithms=diffie-hellman-group14-sha1",
                         "-o", "Ciphers=aes128-cbc",
                         "-o", "MACs=hmac-sha1",
                         "-o", "HostKeyAlgorithms=ssh-rsa",
                         "-o", "PubkeyAcceptedAlgorithms=+ssh-rsa"};
  const std::string image_ = fakes::noise(1'000'017, 7);
};

TEST_F(SshWire, RubbishIsCutAndOnRecord) {
  for (const std::string rubbish :
       {"GET / HTTP/1.1\r\n\r\n", "SSH-1.5-old\r\n", "SSH-2.0-x\r\n\xff\xff\xff\xff junk",
        "\r\n\r\n\r\n"}) {
    TcpPeer peer(ssh_port_);
    peer.send(rubbish);
    ::shutdown(peer.fd(), SHUT_WR);
    EXPECT_THAT(peer.rest(), AnyOf("", StartsWith("SSH-2.0-vantrod\r\n")));
  }
  EXPECT_THAT(contact_sentence(), HasSubstr("the SSH handshake failed"));
  EXPECT_TRUE(alive());
}

TEST_F(SshWire, GivesUpOnTheSlow) {
  start_again("[ssh]\nlog_in_s = 1\nidle_s = 1\n");
  TcpPeer silent(ssh_port_);
  TcpPeer dripping(ssh_port_);
  EXPECT_TRUE(eventually([&] { return !dripping.send("S"); }));
  EXPECT_THAT(silent.rest(), StartsWith("SSH-2.0-vantrod"));
  // One that never logs in, and one that asks for nothing.
  const auto script = [&](const std::string& lines) {
    return run({"/usr/bin/python3", "-c",
                "import paramiko, time\nt = paramiko.Transport(('127.0.0.1', " +
                    std::to_string(ssh_port_) +
                    "))\nbegan = time.time()\n"
                    // A busy machine may take longer to begin than it is given.
                    "try:\n  t.start_client()\n  " +
                    lines + "\nexcept (paramiko.SSHException, EOFError): pass" +
                    "\nwhile t.is_active() and time.time() - began < 20: "
                    "time.sleep(0.05)\nprint(t.is_active())\n"})
        .out;
  };
  EXPECT_EQ(script("pass"), "False\n");
  EXPECT_EQ(script("t.auth_password('night', 'night and day')"), "False\n");
  EXPECT_TRUE(eventually([&] { return alive(); }));
}

TEST_F(SshWire, AReaderThatTakesNothingIsCutAndDelaysNobody) {
  take_in("large.img", fakes::noise(20'000'000, 5));
  start_again("[ssh]\nstalled_s = 2\n");
  const auto dead = python(
      "c = t.open_session(window_size=100000)\n"
      "c.exec_command('scp -f large.img')\nc.sendall(b'\\0')\n"
      "print(c.recv(100)[:5])\nc.sendall(b'\\0')\n"
      "import subprocess\n"
      "print(subprocess.run(['scp', '-q', '-O', '-F', 'ssh_config', 'v:causeway.img', "
      "'got']).returncode)\n"
      "began = time.time()\n"
      "while t.is_active() and time.time() - began < 20: time.sleep(0.05)\n"
      "print(t.is_active())\n");
  EXPECT_EQ(dead.out, "b'C0644'\n0\nFalse\n") << dead.err;
  EXPECT_THAT(newest("fetch"),
              AnyOf("abandoned: no progress for too long", StartsWith("complete")));
  EXPECT_EQ(row("fetch", "abandoned")["sentence"], "no progress for too long");
}

// Idle connections take all the room there is, again and again.
TEST_F(SshWire, ThoseWhoNeverLogInLockNobodyOut) {
  start_again("[ssh]\nconnections = 12\nconnections_per_device = 4\n");
  std::vector<std::unique_ptr<TcpPeer>> idle;
  for (int turn = 0; turn < 3; ++turn) {
    for (const auto* from : {"127.0.0.2", "127.0.0.3", "127.0.0.4"}) {
      for (int i = 0; i < 4; ++i) {
        idle.push_back(std::make_unique<TcpPeer>(ssh_port_, 0, from));
      }
    }
    EXPECT_TRUE(eventually([&] { return alive(); })) << turn;
  }
}

// Long before there is no room: a crowd that only connects never gets all of it, and who
// has logged in is not touched.
TEST_F(SshWire, SomeOfThoseWhoHaveNotLoggedInAreDroppedEarly) {
  start_again("[ssh]\nconnections = 40\nconnections_per_device = 4\n");
  const auto crowd = python(
      "import select\n"
      "crowd = []\n"
      "for i in range(38):\n"
      "  one = socket.socket()\n"
      "  one.bind(('127.0.1.%d' % (i // 4 + 1), 0))\n"
      "  one.connect(t.getpeername())\n"
      "  crowd.append(one)\n"
      "def over(one):\n"
      "  one.setblocking(False)\n"
      "  try:\n"
      "    while one.recv(4096): pass\n"
      "    return True\n"
      "  except BlockingIOError: return False\n"
      "  except ConnectionResetError: return True\n"
      "alive = crowd\n"
      "until = time.time() + 20\n"
      "while len(alive) > 30 and time.time() < until:\n"
      "  alive = [one for one in alive if not over(one)]\n"
      "  time.sleep(0.05)\n"
      "c = t.open_session()\n"
      "print(20 <= len(alive) <= 30, len(alive))\n");
  EXPECT_THAT(crowd.out, StartsWith("True")) << crowd.out << crowd.err;
  EXPECT_TRUE(eventually([&] {
    const auto fronts = vantro_json({"status"})["fronts"];
    const auto front = std::ranges::find_if(
        fronts, [](const auto& one) { return one["name"] == "SSH"; });
    return front != fronts.end() && (*front)["turned_away"] >= 8;
  })) << vantro_json({"status"})["fronts"].dump();
  int unanswered = 0;
  for (const auto contacts = vantro_json({"contact"})["contacts"];
       const auto& one : contacts) {
    unanswered += one["unanswered"].get<int>();
  }
  EXPECT_GE(unanswered, 8);
}

TEST_F(SshWire, HasLimitsOnConnectionsChannelsAndPasswords) {
  start_again("[ssh]\nconnections_per_device = 3\nwrong_passwords = 2\n");
  std::vector<std::unique_ptr<TcpPeer>> peers;
  for (int i = 0; i < 3; ++i) {
    peers.push_back(std::make_unique<TcpPeer>(ssh_port_));
    EXPECT_THAT(peers.back()->receive(), StartsWith("SSH-2.0-vantrod"));
  }
  EXPECT_EQ(TcpPeer(ssh_port_).rest(),
            "Too many connections at once; try again soon\r\n");
  EXPECT_THAT(TcpPeer(ssh_port_, 0, "127.0.0.2").receive(), StartsWith("SSH-2.0-"));
  peers.clear();
  ASSERT_TRUE(eventually([&] { return alive(); }));
  const auto channels = python(
      "cs = []\n"
      "try:\n  for i in range(100): cs.append(t.open_session())\n"
      "except paramiko.ChannelException: print(len(cs))\n");
  EXPECT_EQ(channels.out, "10\n") << channels.err;
  const auto guesses = run({"/usr/bin/python3", "-c",
                            "import paramiko\nt = paramiko.Transport(('127.0.0.1', " +
                                std::to_string(ssh_port_) +
                                "))\nt.start_client()\nn = 0\n"
                                "try:\n  for i in range(10):\n    n += 1\n"
                                "    try: t.auth_password('night', 'wrong %d' % i)\n"
                                "    except paramiko.AuthenticationException: pass\n"
                                "except Exception: pass\nprint(n)\n"});
  EXPECT_LT(std::stoi(guesses.out), 10) << guesses.err;
  const auto refused = [&] {
    const auto rows = ledger();
    return std::ranges::count_if(rows, [](const auto& one) {
      return one["event"] == "log-in" && one["outcome"] == "refused";
    });
  };
  EXPECT_TRUE(eventually([&] { return refused() >= 2; }));
  EXPECT_EQ(refused(), 2);
}

// The library gives strings of C, which would end at a zero byte.
TEST_F(SshWire, AZeroByteCutsNeitherUserNameNorPassword) {
  const auto logged_in = [&](const std::string& call) {
    return run({"/usr/bin/python3", "-c",
                "import paramiko\nt = paramiko.Transport(('127.0.0.1', " +
                    std::to_string(ssh_port_) + "))\nt.start_client()\n" + "try: t." +
                    call + "\nexcept paramiko.SSHException: pass\n" +
                    "print(t.is_authenticated())\n"})
        .out;
  };
  const auto password = [](const std::string& name, const std::string& behind) {
    return "auth_password('night" + name + "', '" + kPassword + behind + "')";
  };
  EXPECT_EQ(logged_in(password("", "")), "True\n");
  EXPECT_EQ(logged_in(password("", "\\0")), "False\n");
  EXPECT_EQ(logged_in(password("", "\\0x")), "False\n");
  EXPECT_EQ(logged_in(password("\\0x", "")), "False\n");
  EXPECT_EQ(newest("log-in"),
            "refused: there is a zero byte in the user name or the password");
  // A key's signature is of the name as well.
  const auto key = [&](const std::string& name) {
    return "auth_publickey('night" + name + "', paramiko.Ed25519Key(filename='" +
           (scratch_ / "key") + "'))";
  };
  EXPECT_EQ(logged_in(key("")), "True\n");
  EXPECT_EQ(logged_in(key("\\0x")), "False\n");
}

// A packet size of ten bytes makes the library write empty packets for ever.
TEST_F(SshWire, AClientThatTakesTinyPacketsEndsAlone) {
  const auto tiny = python(
      "t._sanitize_packet_size = lambda size: 10\n"
      "c = t.open_session(window_size=100000)\nc.out_max_packet_size = 32768\n"
      "c.exec_command('scp -f causeway.img')\nc.sendall(b'\\0')\n"
      "began = time.time()\n"
      "while t.is_active() and time.time() - began < 20: time.sleep(0.05)\n"
      "print(t.is_active())\n");
  EXPECT_EQ(tiny.out, "False\n") << tiny.err;
  EXPECT_TRUE(alive());
  EXPECT_THAT(contact_sentence(), HasSubstr("it accepts packets of a few bytes only"));
}

// What is sent beyond the window is not stored without end.
TEST_F(SshWire, AClientThatIgnoresTheWindowIsCut) {
  const auto flood = python(
      "import struct\n"
      "field = lambda b: struct.pack('>I', len(b)) + b\n"
      "packet = lambda t, r: struct.pack('>IB', len(r) + 1, t) + r\n"
      "c = t.open_session(); c.invoke_subsystem('sftp')\n"
      "c.sendall(packet(1, struct.pack('>I', 3)) + packet(3, struct.pack('>I', 1) + "
      "field(b'/causeway.img') + struct.pack('>II', 1, 0)))\n"
      // Both are answered: its handle is '1', and the window is as it will be.
      "answers = b''\n"
      "while b'\\x66\\0\\0\\0\\1' not in answers: answers += c.recv(1000)\n"
      "c.out_window_size = 1 << 40\nc.out_max_packet_size = 32768\n"
      "many = packet(5, struct.pack('>I', 2) + field(b'1') + struct.pack('>QI', 0, "
      "131072)) * 20000\n"
      "n = 0\n"
      "try:\n"
      "  while n < 500000000: c.sendall(many); n += len(many)\n"
      "except Exception: pass\n"
      "print(n < 100000000)\n");
  EXPECT_EQ(flood.out, "True\n") << flood.err;
  EXPECT_TRUE(alive());
  EXPECT_THAT(contact_sentence(),
              HasSubstr("the client sent more than the window allows"));
  std::ifstream status("/proc/" + std::to_string(server_->pid()) + "/status");
  std::string line;
  long peak = 0;
  while (std::getline(status, line)) {
    if (line.starts_with("VmHWM:")) peak = std::atol(line.c_str() + 6);
  }
  EXPECT_GT(peak, 0);
  EXPECT_LT(peak, 900'000);  // kB; a tenth of it, but under sanitizers
}

TEST_F(SshWire, SaysWhatIsWrongAtTheFirstWrongLine) {
  const auto told = python(
      "def talk(command, *lines):\n"
      "  c = t.open_session(); c.exec_command(command); out = b''\n"
      "  for line in lines: c.sendall(line)\n"
      "  while True:\n"
      "    part = c.recv(1000)\n"
      "    if not part: break\n"
      "    out += part\n"
      "  print(out, c.recv_exit_status())\n"
      "talk('scp -t .', b'X\\n')\n"
      "talk('scp -t .', b'C0644 3 a\\nabcd')\n"
      "c = t.open_session(); c.invoke_subsystem('sftp'); "
      "c.sendall(b'\\xff\\xff\\xff\\xff')\n"
      "print(c.recv(10), c.recv_stderr(100), c.recv_exit_status())\n");
  EXPECT_EQ(told.out,
            "b\"\\x00\\x01vantrod: 'X' is not a line of SCP: it does not begin with C, "
            "D, E or T\\n\" 1\n"
            "b'\\x00\\x00\\x01vantrod: more bytes arrived than were announced\\n' 1\n"
            "b'' b'vantrod: an SFTP packet of 4294967295 bytes, limit 262144\\n' 1\n")
      << told.err;
  backups(1);
}

// A client that does not wait for the answers: what it closed is whole.
TEST_F(SshWire, WhatWasSentBeforeTheChannelClosedIsWorkedOff) {
  const auto sent = python(
      "import struct\n"
      "field = lambda b: struct.pack('>I', len(b)) + b\n"
      "packet = lambda t, r: struct.pack('>IB', len(r) + 1, t) + r\n"
      "u32 = lambda n: struct.pack('>I', n)\n"
      "c = t.open_session(); c.invoke_subsystem('sftp')\n"
      "c.sendall(packet(1, u32(3)) + packet(3, u32(1) + field(b'/hasty.bin') + u32(26) + "
      "u32(0)))\n"
      "for i in range(200):\n"
      "  c.sendall(packet(6, u32(2 + i) + field(b'1') + struct.pack('>Q', i * 30000) + "
      "field(bytes([i]) * 30000)))\n"
      "c.sendall(packet(4, u32(999) + field(b'1')))\n"
      "c.close()\n"
      // Until the server has closed it, too.
      "while t._channels.get(c.chanid): time.sleep(0.01)\n");
  ASSERT_EQ(sent.code, 0) << sent.err;
  const auto filed = backups(1)[0];
  EXPECT_EQ(filed["complete"], true);
  EXPECT_EQ(filed["size"], 6'000'000);
}

TEST_F(SshWire, HostKeysStayAndAreThoseThatAreShown) {
  const auto shown = [&] {
    std::string all;
    const auto keys = vantro_json({"status"})["ssh"]["host_keys"];
    for (const auto& key : keys) all += key["fingerprint"].get<std::string>() + "\n";
    return all;
  };
  const auto first = shown();
  const auto scanned = run({"ssh-keyscan", "-p", std::to_string(ssh_port_), "127.0.0.1"});
  const auto listed = run({"ssh-keygen", "-l", "-f", "-"}, {}, scanned.out).out;
  int seen = 0;
  for (std::size_t at = 0; at < first.size(); at = first.find('\n', at) + 1) {
    const auto one = first.substr(at, first.find('\n', at) - at);
    EXPECT_THAT(listed, HasSubstr(one));
    EXPECT_THAT(vantro({"status"}).out, HasSubstr(one));
    EXPECT_THAT(fakes::read_file(scratch_ / "server.err"), HasSubstr(one));
    ++seen;
  }
  EXPECT_EQ(seen, 3);
  start_again("");
  EXPECT_EQ(shown(), first);
  EXPECT_TRUE(alive());
}

TEST_F(SshWire, OlderAlgorithmsAreForNamedNetworksAndMarked) {
  const auto fetch = [&](const std::string& from) {
    auto arguments = older_;
    arguments.insert(arguments.end(), {"-o", "BindAddress=" + from, "-o",
                                       "UserKnownHostsFile=" + (scratch_ / "kh"),
                                       "v:causeway.img", "got"});
    return scp(true, arguments).code;
  };
  EXPECT_NE(fetch("127.0.0.1"), 0);
  EXPECT_THAT(contact_sentence(), HasSubstr("it knows only diffie-hellman-group14-sha1"));
  EXPECT_THAT(contact_sentence(),
              HasSubstr("[[ssh.older]] in the settings can allow "
                        "diffie-hellman-group14-sha1 for its network"));
  start_again(
      "[[ssh.older]]\nfrom = [\"127.0.7.0/24\"]\nalgorithms = "
      "[\"diffie-hellman-group14-sha1\", \"aes128-cbc\", \"hmac-sha1\", \"ssh-rsa\"]\n");
  EXPECT_NE(fetch("127.0.0.1"), 0);
  ASSERT_EQ(fetch("127.0.7.1"), 0);
  EXPECT_EQ(file("got"), image_);
  const std::string used =
      "older SSH algorithms: diffie-hellman-group14-sha1, aes128-cbc, hmac-sha1, ssh-rsa";
  EXPECT_EQ(newest("fetch"), "complete: " + used);
  EXPECT_EQ(row("log-in", "done")["sentence"], used);
  // One from there that can do better is not marked.
  ASSERT_EQ(scp(true, {"-o", "BindAddress=127.0.7.2", "v:causeway.img", "got"}).code, 0);
  EXPECT_TRUE(eventually([&] { return newest("fetch") == "complete: "; }));
  const auto status = vantro_json({"status"})["ssh"];
  EXPECT_EQ(status["older_sessions"], 1);
  EXPECT_EQ(status["last_older"]["address"], "127.0.7.1");
  EXPECT_THAT(vantro({"status"}).out, HasSubstr("used by one session, the last "));
}

// libssh says nothing to a client whose signature it does not take.
TEST_F(SshWire, AnOlderSignatureIsRefusedWithWords) {
  make_key("rsa", "rsa");
  ASSERT_EQ(vantro({"account", "key", "add", "night", scratch_ / "rsa.pub"}).code, 0);
  const auto refused =
      run({"/usr/bin/python3", "-c",
           "import paramiko\nt = paramiko.Transport(('127.0.0.1', " +
               std::to_string(ssh_port_) +
               "), disabled_algorithms={'pubkeys': ['rsa-sha2-256', 'rsa-sha2-512']})\n"
               // As a device that does not know the extension that would tell it.
               "import time\nt.start_client()\n"
               "while not t.server_extensions: time.sleep(0.01)\n"
               "t.server_extensions = {}\n"
               "try: t.auth_publickey('night', "
               "paramiko.RSAKey.from_private_key_file('rsa'))\n"
               "except Exception as e: print(type(e).__name__)\n"},
          {}, "", scratch_.path());
  EXPECT_THAT(refused.out, AnyOf("AuthenticationException\n", "SSHException\n"))
      << refused.err;
  EXPECT_THAT(newest("log-in"),
              HasSubstr("signatures of type ssh-rsa are not accepted from "
                        "127.0.0.1; use another key"));
}

TEST_F(SshWire, StoppingLetsATransferFinishAndTellsTheOthers) {
  ASSERT_EQ(::mkfifo((scratch_ / "fifo").c_str(), 0600), 0);
  const base::UniqueFd never(::open((scratch_ / "fifo").c_str(), O_RDWR | O_CLOEXEC));
  take_in("large.img", fakes::noise(20'000'000, 5));
  // Longer than any machine needs: a busy one is not the subject here.
  start_again("[stop]\ngrace_s = 300\n");
  Process slow(with_config("scp", {"-q", "-O", "-l", "80000", "v:large.img", "large"}),
               {}, scratch_ / "out", scratch_ / "err", "", scratch_.path());
  // One that is logged in and does nothing.
  Process waiting(with_config("ssh", {"-s", "v", "sftp"}), {}, scratch_ / "out2",
                  scratch_ / "err2", scratch_ / "fifo", scratch_.path());
  ASSERT_TRUE(eventually([&] {
    const auto running = vantro_json({"transfer", "list"})["transfers"];
    return !running.empty() && running[0]["state"] == "running" &&
           running[0]["bytes"].get<int>() > 500'000;
  }));
  server_->signal(SIGTERM);
  EXPECT_EQ(slow.wait(), 0) << file("err");
  EXPECT_EQ(server_->wait(), 0);
  EXPECT_EQ(file("large").size(), 20'000'000u);
  start();
  EXPECT_THAT(newest("fetch"), StartsWith("complete"));
}

TEST_F(SshWire, StoppingCutsWhatTakesTooLong) {
  take_in("large.img", fakes::noise(60'000'000, 5));
  start_again("[stop]\ngrace_s = 1\n");
  Process slow(with_config("scp", {"-q", "-O", "-l", "8000", "v:large.img", "large"}), {},
               scratch_ / "out", scratch_ / "err", "", scratch_.path());
  fakes::write_file(scratch_ / "cfg", fakes::noise(60'000'000, 6));
  Process sending(with_config("scp", {"-q", "-l", "8000", "cfg", "v:cfg"}), {},
                  scratch_ / "out2", scratch_ / "err2", "", scratch_.path());
  ASSERT_TRUE(eventually([&] {
    const auto running = vantro_json({"transfer", "list"})["transfers"];
    return running.size() == 2 && running[0]["bytes"].get<int>() > 100'000 &&
           running[1]["bytes"].get<int>() > 100'000;
  }));
  stop();
  EXPECT_NE(slow.wait(), 0);
  EXPECT_NE(sending.wait(), 0);
  start();
  EXPECT_EQ(newest("fetch"), "failed: the server was stopped");
  EXPECT_EQ(newest("deposit"), "failed: the server was stopped");
  EXPECT_EQ(backups(1)[0]["complete"], false);
}

TEST_F(SshWire, KilledDuringUploadsItKeepsEveryAcknowledgedOne) {
  std::mt19937 random(11);
  std::map<std::string, std::string> acknowledged;
  for (int round = 0; round < 5; ++round) {
    std::map<std::string, std::unique_ptr<Process>> uploads;
    for (int i = 0; i < 8; ++i) {
      const auto name = "cfg-" + std::to_string(round) + "-" + std::to_string(i);
      fakes::write_file(scratch_ / name, fakes::noise(random() % 3'000'000,
                                                      static_cast<unsigned>(random())));
      auto command = with_config("scp", {"-q", name, "v:" + name});
      if (i % 2 == 0) command.insert(command.begin() + 1, "-O");
      uploads[name] =
          std::make_unique<Process>(command, Environment{}, "", "", "", scratch_.path());
    }
    ::usleep(150'000 + random() % 500'000);
    server_->signal(SIGKILL);
    EXPECT_EQ(server_->wait(), 128 + SIGKILL);
    // What a client was told counts, not what it hoped for.
    for (auto& [name, process] : uploads) {
      if (process->wait() == 0) acknowledged[name] = file(name);
    }
    start();
    configure();
  }
  EXPECT_FALSE(acknowledged.empty());
  for (const auto& [name, bytes] : acknowledged) {
    EXPECT_TRUE(fakes::same_bytes(saved("127.0.0.1", name), bytes)) << name;
  }
  const auto all = vantro_json({"backup", "revisions"})["backups"];
  for (const auto& one : all) {
    if (!one["complete"].get<bool>()) continue;
    const auto name = one["name"].get<std::string>();
    EXPECT_TRUE(fakes::same_bytes(saved("127.0.0.1", name), file(name))) << name;
  }
  EXPECT_TRUE(std::filesystem::is_empty(own_state() + "/arriving"));
  RecordProperty("acknowledged", static_cast<int>(acknowledged.size()));
}

// Sixty-four at once, and one that does nothing beside them.
TEST_F(SshWire, WhoSaysGoodbyeIsGoneAlsoIfTheSocketStaysOpen) {
  // Some clients leave the closing to the server.
  const auto said = python(
      "c = t.open_session()\nc.exec_command('scp -t site.cfg')\nc.recv(1)\n"
      "c.sendall(b'C0644 5 site.cfg\\n')\nc.recv(1)\nc.sendall(b'hello\\0')\n"
      "print(c.recv(1))\nc.close()\n"
      "m = paramiko.Message()\nm.add_byte(b'\\x01')\nm.add_int(11)\n"
      "m.add_string('bye')\nm.add_string('')\nt._send_message(m)\n"
      "t.sock.settimeout(20)\n"
      "began = time.time()\n"
      "while t.is_active() and time.time() - began < 20: time.sleep(0.05)\n"
      "print(t.is_active())\n");
  EXPECT_EQ(said.out, "b'\\x00'\nFalse\n") << said.err;
}

TEST_F(SshWire, SixtyFourClientsAtOnce) {
  start_again(
      "[ssh]\nconnections_per_device = 70\n[limits]\ntransfers_per_device = 70\n");
  const auto many =
      run({"/usr/bin/python3", "-c",
           "import paramiko, threading\nok = []\n"
           "def one(i):\n"
           "  t = paramiko.Transport(('127.0.0.1', " +
               std::to_string(ssh_port_) +
               "))\n  t.banner_timeout = 120\n  t.start_client(timeout=120)\n"
               "  t.auth_timeout = 120\n"
               "  t.auth_publickey('night', "
               "paramiko.Ed25519Key.from_private_key_file('key'))\n"
               "  gate.wait()\n"
               "  s = paramiko.SFTPClient.from_transport(t)\n"
               "  n = len(s.open('/causeway.img').read(200000))\n"
               "  ok.append(n)\n  t.close()\n"
               "gate = threading.Barrier(64)\n"
               "ts = [threading.Thread(target=one, args=(i,)) for i in range(64)]\n"
               "[t.start() for t in ts]\n[t.join() for t in ts]\n"
               "print(len(ok), set(ok))\n"},
          {}, "", scratch_.path());
  EXPECT_EQ(many.out, "64 {200000}\n") << many.err;
}

}  // namespace
}  // namespace vantro::end_to_end
