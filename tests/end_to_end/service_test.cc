// The server as something that runs for years: settings that are read again, stops that
// cut nobody off, metrics, snapshots, and what a service manager sees.
#include <csignal>
#include <filesystem>
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <sys/stat.h>
#include <sys/un.h>

#include "tests/end_to_end/service_fixture.h"

namespace vantro::end_to_end {
namespace {

namespace fs = std::filesystem;
using testing::HasSubstr;
using testing::Not;

class Service : public ServiceFixture {};

// -- Reload --

TEST_F(Service, ReloadMovesListenersAndCutsNobodyOff) {
  begin();
  take_in("x.img", std::string(900, 'x'));
  const auto before = listeners("http");
  ASSERT_EQ(before.size(), 1u);
  Peer peer("127.0.0.1");
  ask(peer, "x.img");
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  http_ = "\"127.0.0.1:0\", \"127.0.0.2:0\"";
  write_settings("");
  const auto dry = vantro({"reload", "--dry-run"});
  EXPECT_THAT(dry.out, HasSubstr("A reload changes:\n  http.listen: "));
  EXPECT_EQ(listeners("http"), before);
  const auto output = vantro({"reload"});
  EXPECT_EQ(output.code, 0) << output.err;
  EXPECT_EQ(output.out,
            "Changed:\n  http.listen: [\"127.0.0.1:0\"] -> [\"127.0.0.1:0\", "
            "\"127.0.0.2:0\"]\n");
  const auto both = listeners("http");
  ASSERT_EQ(both.size(), 2u);
  EXPECT_EQ(both[0], before[0]);
  for (const auto& one : both) {
    EXPECT_EQ(fetched(one, "x.img"), std::string(900, 'x')) << one;
  }
  http_ = "\"127.0.0.2:0\"";
  write_settings("");
  EXPECT_EQ(vantro({"reload"}).code, 0);
  EXPECT_EQ(listeners("http"), std::vector<std::string>{both[1]});
  EXPECT_EQ(run({"curl", "-s", "http://" + before[0] + "/x.img"}).code, 7);
  peer.answer(ack(1));
  EXPECT_EQ(peer.hear(), "DATA 2 [388]");
  peer.answer(ack(2));
  EXPECT_EQ(row("fetch", "complete")["name"], "x.img");
  const auto changed = row("server-reload", "done");
  EXPECT_EQ(changed["sentence"], "changed: http.listen");
  EXPECT_EQ(changed["from"], "this machine");
}

TEST_F(Service, ReloadChangesNothingWithAFileThatIsWrong) {
  begin("limits.transfers = 100\n");
  const auto before = listeners("http");
  write_settings("limits.transfers = 200\nlimits.tranfsers = 1\n");
  auto output = vantro({"reload"});
  EXPECT_EQ(output.code, 2);
  EXPECT_THAT(output.err, HasSubstr("limits.tranfsers"));
  EXPECT_THAT(output.err, HasSubstr("limits.transfers"));  // the nearest
  // An address that somebody else has: the limit stays as well.
  const auto taken = fmt::format("\"127.0.0.1:{}\"", management_port_);
  http_ = taken;
  write_settings("limits.transfers = 200\n");
  output = vantro({"reload"});
  EXPECT_EQ(output.code, 1);
  EXPECT_THAT(output.err, HasSubstr(std::to_string(management_port_)));
  EXPECT_EQ(listeners("http"), before);
  const auto settings =
      run({"curl", "-s", "--unix-socket", socket(), "http://localhost/v1/settings"}).out;
  const auto told = read_json(settings);
  for (const auto& one : told["settings"]) {
    if (one["name"] == "limits.transfers") {
      EXPECT_EQ(one["value"], "100");
    }
  }
}

TEST_F(Service, CheckSaysWhatWouldChangeForTheServerThatRuns) {
  begin("limits.transfers = 100\n");
  EXPECT_THAT(check(), HasSubstr("The running vantrod has these settings."));
  write_settings("limits.transfers = 200\nhttp.threads = 3\n");
  const auto said = check();
  EXPECT_THAT(said, HasSubstr("In the running vantrod, 'vantro reload' changes:\n"
                              "  limits.transfers = 200  (runs with 100)\n"));
  EXPECT_THAT(said, HasSubstr("A restart changes:\n  http.threads = 3  (runs with the "
                              "default)\n"));
  const auto output = vantro({"reload"});
  EXPECT_THAT(output.out, HasSubstr("These take effect when vantrod is restarted:\n  "
                                    "http.threads: 2 -> 3\n"));
  const auto rest = check();
  EXPECT_THAT(rest, Not(HasSubstr("'vantro reload' changes")));
  EXPECT_THAT(rest, HasSubstr("A restart changes:\n  http.threads = 3"));
  // In force is what it goes by, not what the file says.
  const auto settings =
      run({"curl", "-s", "--unix-socket", socket(), "http://localhost/v1/settings"}).out;
  const auto told = read_json(settings);
  for (const auto& one : told["settings"]) {
    if (one["name"] == "limits.transfers") {
      EXPECT_EQ(one["value"], "200");
    }
    if (one["name"] == "http.threads") {
      EXPECT_EQ(one["value"], "2");
    }
  }
  stop();
  EXPECT_THAT(check(), Not(HasSubstr("runs here")));
}

TEST_F(Service, ReloadOpensSshAndHttpsWhereTheyDidNotListen) {
  make_certificate("localhost");
  const auto tls = fmt::format("https.certificate = \"{}\"\nhttps.key = \"{}\"\n",
                               scratch_ / "cert.pem", scratch_ / "key.pem");
  begin(tls);
  take_in("x.img", std::string(900, 'x'));
  EXPECT_TRUE(listeners("sftp").empty());
  write_settings(tls +
                 "ssh.listen = [\"127.0.0.1:0\"]\nhttps.listen = [\"127.0.0.1:0\"]\n");
  const auto output = vantro({"reload"});
  EXPECT_EQ(output.out,
            "Changed:\n  https.listen: [] -> [\"127.0.0.1:0\"]\n"
            "  ssh.listen: [] -> [\"127.0.0.1:0\"]\n")
      << output.err;
  const auto https = listeners("https");
  ASSERT_EQ(https.size(), 1u);
  EXPECT_EQ(run({"curl", "-s", "-k", "https://" + https[0] + "/x.img"}).out,
            std::string(900, 'x'));
  const auto ssh = listeners("sftp");
  ASSERT_EQ(ssh.size(), 1u);
  const auto keys = run({"ssh-keyscan", "-T", "60", "-p",
                         ssh[0].substr(ssh[0].find(':') + 1), "127.0.0.1"});
  EXPECT_THAT(keys.out, HasSubstr("ssh-ed25519")) << keys.err << file("server.err");
  write_settings(tls);
  EXPECT_EQ(vantro({"reload"}).code, 0);
  EXPECT_TRUE(listeners("sftp").empty());
  EXPECT_TRUE(vantro_json({"status"})["ssh"]["host_keys"].empty());
}

TEST_F(Service, CheckSaysThatHttpsWithoutACertificateWaitsForARestart) {
  begin();
  make_certificate("localhost");
  write_settings(
      fmt::format("https.certificate = \"{}\"\nhttps.key = \"{}\"\n"
                  "https.listen = [\"127.0.0.1:0\"]\n",
                  scratch_ / "cert.pem", scratch_ / "key.pem"));
  const auto said = check();
  EXPECT_THAT(said, Not(HasSubstr("'vantro reload' changes")));
  EXPECT_THAT(said, HasSubstr("A restart changes:\n  https.listen"));
  EXPECT_THAT(vantro({"reload"}).out,
              HasSubstr("when vantrod is restarted:\n  https.listen"));
}

// -- Draining and stopping --

TEST_F(Service, DrainWaitsForWhatRunsAndTellsOthersWhenToComeAgain) {
  begin();
  take_in("x.img", std::string(900, 'x'));
  Peer peer("127.0.0.1");
  ask(peer, "x.img");
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  const auto state =
      vantro_json({"drain", "--start-only", "--until", "5m", "--reason", "disk"});
  EXPECT_EQ(state["draining"], true);
  EXPECT_EQ(state["idle"], false);
  EXPECT_EQ(state["waits_for"][0]["name"], "x.img");
  const auto http = listeners("http").at(0);
  const auto refused =
      run({"curl", "-s", "-i", "--interface", "127.0.0.9", "http://" + http + "/x.img"})
          .out;
  EXPECT_THAT(refused, HasSubstr("HTTP/1.1 503 "));
  EXPECT_THAT(refused, testing::ContainsRegex("Retry-After: (299|300)\r\n"));
  EXPECT_THAT(refused, HasSubstr("the server takes no new transfers (disk); try again in "
                                 "5 minutes"));
  EXPECT_THAT(vantro({"status"}).out, HasSubstr("DRAINING    draining (disk)"));
  EXPECT_EQ(vantro_json({"drain", "--start-only", "--until", "5m"})["refused"], 1);
  peer.answer(ack(1));
  EXPECT_EQ(peer.hear(), "DATA 2 [388]");
  peer.answer(ack(2));
  const auto output = vantro({"drain", "--until", "5m"});
  EXPECT_EQ(output.code, 0) << output.err;
  EXPECT_THAT(output.out, HasSubstr("Nothing runs: the server can be stopped now."));
  EXPECT_EQ(vantro({"drain", "--undo"}).out, "New transfers are accepted; 0 running.\n");
  EXPECT_EQ(fetched(http, "x.img"), std::string(900, 'x'));
  EXPECT_EQ(vantro({"drain", "--until", "pears"}).code, 2);
}

// A boot loader fetches one file after the other: a stop between them must not cut it
// off.
TEST_F(Service, StoppingLetsADeviceFetchItsNextFile) {
  begin();
  take_in("loader.img", std::string(600, 'l'));
  take_in("system.img", "system");
  Peer peer("127.0.0.1");
  ask(peer, "loader.img");
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  server_->signal(SIGTERM);
  ASSERT_TRUE(eventually([&] {
    return file("server.err").find("waiting for transfers") != std::string::npos;
  }));
  EXPECT_THAT(file("server.err"), HasSubstr("127.0.0.1 fetch 'loader.img' at "));
  // People still see what it waits for.
  EXPECT_THAT(vantro({"status"}).out,
              HasSubstr("DRAINING    the server is being stopped"));
  EXPECT_EQ(vantro({"drain", "--undo"}).code, 1);
  peer.answer(ack(1));
  EXPECT_EQ(peer.hear(), "DATA 2 [88]");
  peer.answer(ack(2));
  Peer late("127.0.0.2");
  ask(late, "system.img");
  EXPECT_THAT(late.hear(), HasSubstr("the server is being restarted; try again in"));
  Peer next("127.0.0.1");
  ask(next, "system.img");
  EXPECT_EQ(next.hear(), "DATA 1 [6]");
  next.answer(ack(1));
  EXPECT_EQ(server_->wait(), 0);
}

TEST_F(Service, ASecondSignalEndsItAtOnce) {
  begin();
  take_in("x.img", std::string(600, 'x'));
  Peer peer("127.0.0.1");
  ask(peer, "x.img");
  EXPECT_EQ(peer.hear(), "DATA 1 [512]");
  server_->signal(SIGTERM);
  ASSERT_TRUE(eventually(
      [&] { return file("server.err").find("stopping signal") != std::string::npos; }));
  server_->signal(SIGTERM);
  EXPECT_EQ(server_->wait(), 0);
  EXPECT_THAT(file("server.err"), HasSubstr("stopping at once"));
}

// -- What a service manager sees --

// The socket that sd_notify(3) writes to.
class NotifySocket {
 public:
  explicit NotifySocket(const std::string& path)
      : fd_(::socket(AF_UNIX, SOCK_DGRAM | SOCK_NONBLOCK | SOCK_CLOEXEC, 0)) {
    sockaddr_un where{};
    where.sun_family = AF_UNIX;
    path.copy(where.sun_path, sizeof where.sun_path - 1);
    EXPECT_EQ(::bind(fd_.get(), reinterpret_cast<const sockaddr*>(&where), sizeof where),
              0);
  }
  // All that has come so far.
  const std::string& heard() {
    std::array<char, 4096> text{};
    for (ssize_t count = 0;
         (count = ::recv(fd_.get(), text.data(), text.size(), 0)) > 0;) {
      heard_.append(text.data(), static_cast<std::size_t>(count));
      heard_ += '\n';
    }
    return heard_;
  }
  bool hears(const std::string& words) {
    return fakes::eventually([&] { return heard().find(words) != std::string::npos; });
  }

 private:
  base::UniqueFd fd_;
  std::string heard_;
};

TEST_F(Service, TellsTheServiceManagerHowItIs) {
  NotifySocket manager(scratch_ / "notify");
  begin("", {"env", "NOTIFY_SOCKET=" + (scratch_ / "notify"), "WATCHDOG_USEC=300000"});
  EXPECT_TRUE(manager.hears("READY=1\nSTATUS=0 transfers running, 0 names on offer"));
  EXPECT_TRUE(manager.hears("WATCHDOG=1"));
  server_->signal(SIGHUP);
  EXPECT_TRUE(manager.hears("RELOADING=1\nMONOTONIC_USEC="));
  server_->signal(SIGTERM);
  EXPECT_EQ(server_->wait(), 0);
  EXPECT_TRUE(manager.hears("STOPPING=1"));
  EXPECT_THAT(manager.heard(), HasSubstr("EXTEND_TIMEOUT_USEC=660000000"));
}

// A socket in the journal's place, in a mount namespace of the server's.
TEST_F(Service, GivesTheJournalItsFieldsApart) {
  if (::geteuid() != 0)
    GTEST_SKIP() << "only root can put a socket in the journal's place";
  const std::string script =
      "mkdir -p /run/systemd && mount -t tmpfs none /run/systemd && mkdir "
      "/run/systemd/journal && python3 -c 'import socket, sys\n"
      "there = socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM)\n"
      "there.bind(\"/run/systemd/journal/socket\")\n"
      "there.settimeout(30)\n"
      "print(\"bound\", flush=True)\n"
      "out = open(sys.argv[1], \"ab\", buffering=0)\n"
      "while True: out.write(there.recv(65536) + b\"\\n\")' \"$1\" > \"$1.bound\" & "
      "while ! grep -q bound \"$1.bound\" 2>/dev/null; do sleep 0.05; done; shift; exec "
      "\"$@\"";
  begin("log.form = \"journal\"\n",
        {"unshare", "-m", "sh", "-c", script, "sh", scratch_ / "journal"});
  Peer peer("127.0.0.1");
  ask(peer, "none.img");
  EXPECT_THAT(peer.hear(), HasSubstr("is not on offer"));
  ASSERT_TRUE(eventually([&] {
    return file("journal").find("VANTRO_NAME=none.img\n") != std::string::npos;
  })) << file("journal");
  const auto lines = file("journal");
  EXPECT_THAT(lines, HasSubstr("VANTRO_EVENT=fetch refused\n"));
  EXPECT_THAT(lines, HasSubstr("PRIORITY=4\n"));
  EXPECT_THAT(lines, HasSubstr("SYSLOG_IDENTIFIER=vantrod\n"));
  const auto at = lines.rfind("VANTRO_REQUEST=");
  const auto request = lines.substr(at + 15, lines.find('\n', at) - at - 15);
  // The log leads to the ledger.
  nlohmann::json rows;
  ASSERT_TRUE(eventually([&] {
    rows = vantro_json({"ledger", "--request", request})["entries"];
    return rows.size() == 1;
  }));
  EXPECT_EQ(rows[0]["name"], "none.img");
  EXPECT_EQ(rows[0]["outcome"], "refused");
}

TEST_F(Service, KeepsItselfToItsFoldersAndCalls) {
  if (std::getenv("VANTRO_PROGRAMS") != nullptr) {
    GTEST_SKIP() << "a program with a sanitizer is not confined";
  }
  begin();
  EXPECT_EQ(status_of_process("NoNewPrivs"), "1");
  EXPECT_EQ(status_of_process("Seccomp"), "2");
  EXPECT_THAT(file("server.err"), Not(HasSubstr("not fully confined")));
  stop();
  begin("process.confine = false\n");
  EXPECT_EQ(status_of_process("Seccomp"), "0");
  EXPECT_THAT(file("server.err"), HasSubstr("it is switched off (process.confine)"));
}

TEST_F(Service, BecomesAnotherUserThatHasNothingOfRoots) {
  if (::geteuid() != 0) GTEST_SKIP() << "only root can become another user";
  if (std::getenv("VANTRO_PROGRAMS") != nullptr) {
    GTEST_SKIP() << "a sanitizer can't look for leaks in what has given up root";
  }
  ::chmod(scratch_.path().c_str(), 0755);
  // Where that user may write: its socket.
  fs::create_directories(scratch_ / "run");
  ASSERT_EQ(::chown((scratch_ / "run").c_str(), 65534, 65534), 0);
  const auto start_as = [&](const std::string& user) {
    return run({vantrod_program(), "--state", state(), "--user", user, "--tftp-listen",
                "127.0.0.1:0", "--ftp-listen", "none", "--http-listen", "none",
                "--management-listen", "none", "--management-socket", "none"});
  };
  EXPECT_EQ(start_as("nobody-at-all").err,
            "vantrod: unknown user 'nobody-at-all'; make one with: useradd --system "
            "nobody-at-all\n");
  EXPECT_EQ(start_as("root").err, "vantrod: --user must not be root\n");
  fs::create_directories(state());
  EXPECT_THAT(start_as("nobody").err, HasSubstr("belongs to another user; give it to "
                                                "'nobody' with: chown -R nobody: "));
  fs::remove_all(state());
  server_ = std::make_unique<Process>(
      Arguments{vantrod_program(), "--state", state(), "--user", "nobody",
                "--tftp-listen", "127.0.0.1:69", "--ftp-listen", "none", "--http-listen",
                "none", "--management-listen", "127.0.0.1:0", "--management-socket",
                scratch_ / "run/socket"},
      Environment{}, scratch_ / "server.out", scratch_ / "server.err");
  ASSERT_TRUE(eventually([&] {
    return server_out().find("Ready.") != std::string::npos || !server_->running();
  }));
  ASSERT_TRUE(server_->running()) << file("server.err");
  EXPECT_EQ(status_of_process("Uid"), "65534\t65534\t65534\t65534");
  EXPECT_EQ(status_of_process("CapEff"), "0000000000000400");  // net_bind_service
  EXPECT_EQ(status_of_process("CapBnd"), "0000000000000000");
  EXPECT_THAT(file("server.err"), Not(HasSubstr("runs as root")));
}

// -- Metrics --

TEST_F(Service, MeasuresWhatHappens) {
  begin();
  take_in("x.img", std::string(100'000, 'x'));
  const auto http = listeners("http").at(0);
  EXPECT_EQ(fetched(http, "x.img").size(), 100'000u);
  fetched(http, "y.img");
  std::string page;
  ASSERT_TRUE(eventually([&] {
    page = run({"curl", "-s", url() + "/metrics"}).out;
    return page.find("direction=\"fetch\",outcome=\"complete\"} 1\n") !=
           std::string::npos;
  })) << page;
  EXPECT_THAT(page, HasSubstr("vantro_transfer_bytes_total{protocol=\"http\",direction="
                              "\"fetch\",outcome=\"complete\"} 100000\n"));
  EXPECT_THAT(page,
              HasSubstr("vantro_refusals_total{protocol=\"http\",kind=\"not-found\"} 1"));
  EXPECT_THAT(page, HasSubstr("vantro_build_info{version="));
  EXPECT_THAT(page, HasSubstr("vantro_database_failing 0"));
  const auto checked = run({"promtool", "check", "metrics"}, {}, page);
  EXPECT_EQ(checked.code, 0) << checked.out << checked.err;
  EXPECT_EQ(checked.out + checked.err, "");
  const auto rules =
      run({"promtool", "check", "rules", VANTRO_SOURCE_DIR "/packaging/alerts.yml"});
  EXPECT_EQ(rules.code, 0) << rules.out << rules.err;
  // The alerts name metrics that there are.
  const auto alerts = fakes::read_file(VANTRO_SOURCE_DIR "/packaging/alerts.yml");
  for (std::size_t at = 0; (at = alerts.find("vantro_", at)) != std::string::npos;) {
    const auto end = alerts.find_first_not_of("abcdefghijklmnopqrstuvwxyz_", at);
    const auto name = alerts.substr(at, end - at);
    at = end;
    if (name == "vantro_notices_waiting" ||
        name == "vantro_certificate_expiry_time_seconds") {
      continue;  // of receivers and certificates, of which there are none here
    }
    EXPECT_THAT(page, HasSubstr("\n" + name)) << name;
  }
}

TEST_F(Service, GivesMetricsToNobodyElseWithoutAToken) {
  begin("metrics.open_to = [\"192.0.2.0/24\"]\n");
  const auto status = [&](const Arguments& more) {
    Arguments call{
        "curl", "-s", "-o", "/dev/null", "-w", "%{http_code}", url() + "/metrics"};
    call.insert(call.end(), more.begin(), more.end());
    return run(call).out;
  };
  EXPECT_EQ(status({}), "401");
  EXPECT_EQ(status({"-H", std::string("Authorization: Bearer ") + kOperatorToken}),
            "200");
  write_settings("metrics.open_to = [\"loopback\"]\n");
  ASSERT_EQ(vantro({"reload"}).code, 0);
  EXPECT_EQ(status({}), "200");
  // Nothing else is open with it.
  EXPECT_EQ(
      run({"curl", "-s", "-o", "/dev/null", "-w", "%{http_code}", url() + "/v1/status"})
          .out,
      "401");
}

// -- Snapshots --

TEST_F(Service, ADeadServerIsBackFromItsSnapshot) {
  begin();
  for (int i = 0; i < 20; ++i)
    take_in(fmt::format("{}.img", i), fmt::format("image {}", i));
  ASSERT_EQ(run({"curl", "-s", "-T", scratch_ / "image",
                 "http://" + listeners("http").at(0) + "/site.cfg"})
                .code,
            0);
  const auto made = vantro_json({"snapshot", "nightly"});
  EXPECT_EQ(made["state"], "complete") << made.dump();
  // The last image and the configuration are the same bytes.
  EXPECT_EQ(made["linked"], 20);
  const auto folder = scratch_ / "snapshots/nightly";
  const auto sums = run({"sha256sum", "--quiet", "-c", "SHA256SUMS"}, {}, "", folder);
  EXPECT_EQ(sums.code, 0) << sums.out << sums.err;
  EXPECT_EQ(vantro_json({"snapshot", "nightly"})["kept"], 20);
  EXPECT_EQ(vantro_json({"snapshot", "nightly.tar"})["state"], "complete");
  server_->signal(SIGKILL);
  server_->wait();
  const auto began = std::chrono::steady_clock::now();
  for (const auto& from : {folder, folder + ".tar"}) {
    SCOPED_TRACE(from);
    fs::remove_all(state());
    const auto back = run({vantrod_program(), "--restore", from, "--state", state()});
    ASSERT_EQ(back.code, 0) << back.err;
    EXPECT_THAT(back.out, HasSubstr("each compared with its checksum"));
    begin();
    for (int i = 0; i < 20; ++i) {
      EXPECT_EQ(fetched(listeners("http").at(0), fmt::format("{}.img", i)),
                fmt::format("image {}", i));
    }
    EXPECT_EQ(backups(1)[0]["complete"], true);
    EXPECT_THAT(vantro({"status"}).out, HasSubstr("no trouble known"));
    stop();
  }
  EXPECT_LT(std::chrono::steady_clock::now() - began, std::chrono::minutes(10));
}

// Killed in the middle of a second snapshot, the first one is still whole.
TEST_F(Service, AKilledSnapshotLeavesTheOneBeforeItWhole) {
  begin();
  for (int i = 0; i < 5; ++i)
    take_in(fmt::format("{}.img", i), fakes::noise(3'000'000, i));
  ASSERT_EQ(vantro_json({"snapshot", "nightly"})["state"], "complete");
  const auto folder = scratch_ / "snapshots/nightly";
  for (int round = 0; round < 6; ++round) {
    SCOPED_TRACE(round);
    take_in(fmt::format("round-{}.img", round), fakes::noise(3'000'000, 100 + round));
    ASSERT_EQ(vantro({"snapshot", "nightly", "--start-only"}).code, 0);
    std::this_thread::sleep_for(std::chrono::milliseconds(3 * round));
    server_->signal(SIGKILL);
    server_->wait();
    const auto sums = run({"sha256sum", "--quiet", "-c", "SHA256SUMS"}, {}, "", folder);
    EXPECT_EQ(sums.code, 0) << sums.out << sums.err;
    begin();
    EXPECT_FALSE(fs::exists(own_state() + "/snapshot-in-progress"));
  }
  EXPECT_EQ(vantro_json({"snapshot", "nightly"})["state"], "complete");
}

// -- A folder of images --

TEST_F(Service, AFolderOfImagesIsAddedWithTheListsBesideThem) {
  begin();
  const fs::path old = scratch_ / "old";
  fs::create_directories(old / "boot");
  fs::create_directories(old / "system");
  fakes::write_file(old / "boot/a.img", "boot a");
  fakes::write_file(old / "system/b.img", "system b");
  fakes::write_file(old / "system/same.img", "boot a");
  fakes::write_file(old / "system/bad.img", "not what the maker made");
  fakes::write_file(old / "empty.img", "");
  fs::create_symlink("boot/a.img", old / "link.img");
  const auto digest = [&](const char* name) {
    return run({"sha256sum", name}, {}, "", old).out.substr(0, 64);
  };
  fakes::write_file(old / "SHA256SUMS", digest("boot/a.img") + "  boot/a.img\n" +
                                            digest("system/b.img") +
                                            "  ./system/b.img\n");
  fakes::write_file(old / "system/bad.img.md5", std::string(32, '0') + "\n");
  EXPECT_EQ(vantro({"image", "add", old}).code, 7);
  const auto output = vantro({"image", "add", old, "--recursive", "--keep-paths"});
  EXPECT_EQ(output.code, 6) << output.out;  // a checksum differs
  EXPECT_THAT(output.out, HasSubstr(": 2 added (14 B), 0 known already, 3 not added\n"));
  EXPECT_THAT(
      output.out,
      HasSubstr("compared with their makers' checksums: 2 images from 2 lists\n"));
  EXPECT_THAT(output.out, HasSubstr("system/same.img  boot/a.img\n"));
  EXPECT_THAT(output.out, HasSubstr("link.img        it is a symbolic link\n"));
  EXPECT_THAT(output.out, HasSubstr("system/bad.img  "));
  const auto http = listeners("http").at(0);
  for (const auto* name : {"boot/a.img", "system/b.img", "system/same.img"}) {
    EXPECT_EQ(fetched(http, name), fakes::read_file(old / name)) << name;
  }
  EXPECT_EQ(vantro_json({"image", "info", "system/b.img"})["image"]["vouching"],
            "vouched");
  // Once more: nothing is sent that is there.
  auto again = vantro({"--json", "image", "add", old, "--recursive", "--keep-paths"});
  EXPECT_EQ(read_json(again.out)["there_already"], 3);
  EXPECT_EQ(read_json(again.out)["added"], 0);
}

TEST_F(Service, AnInterruptedFolderGoesOnWhereItEnded) {
  begin();
  const fs::path old = scratch_ / "old";
  fs::create_directories(old);
  constexpr int kFiles = 60;
  for (int i = 0; i < kFiles; ++i) {
    fakes::write_file(old / fmt::format("{:02}.img", i), fakes::noise(400'000, i));
  }
  Process adding({vantro_program(), "image", "add", old, "--recursive"},
                 client_environment(), scratch_ / "out", scratch_ / "err");
  ASSERT_TRUE(eventually([&] { return vantro_json({"status"})["images"] >= 3; }));
  adding.signal(SIGINT);
  EXPECT_EQ(adding.wait(), 1);
  EXPECT_THAT(file("err"),
              HasSubstr("interrupted; run the same command again to resume"));
  const auto there = vantro_json({"status"})["images"].get<int>();
  const auto output = vantro({"--json", "image", "add", old, "--recursive"});
  EXPECT_EQ(output.code, 0) << output.err;
  const auto report = read_json(output.out);
  EXPECT_EQ(report["there_already"], there);
  EXPECT_EQ(report["added"], kFiles - there);
}

}  // namespace
}  // namespace vantro::end_to_end
