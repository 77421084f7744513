// Each command with --json: what programs that call vantro read.
#include <gmock/gmock.h>
#include <set>

#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {
namespace {

using testing::IsEmpty;

class Json : public ServerFixture {
 protected:
  void SetUp() override {
    start(
        {"--management-tls-listen", "127.0.0.1:0", "--config",
         make("vantro.toml",
              "snapshot.folder = \"" + scratch_.path() +
                  "\"\n[[notice]]\nname = \"log\"\nway = \"syslog\"\nto = "
                  "\"udp://127.0.0.1:9\"\n[[report]]\npattern = 'runs (?P<version>.+)'\n"
                  "[[rescue]]\nprofile = \"waiting\"\nway = \"waits\"\n"
                  "server = \"127.0.0.1/8\"\ndevice = \"127.1.0.9\"\n"
                  "[[rescue.file]]\nname = \"boot.img\"\nimage = \"rescue.img\"\n")});
    find_commands({});
    ASSERT_GT(left_.size(), 50u);
  }
  // All that have no commands below them, out of the help.
  void find_commands(const Arguments& path) {
    auto asked = path;
    asked.push_back("--help");
    const auto help = vantro(asked).out;
    std::istringstream lines(help);
    bool any = false, listed = false;
    for (std::string line; std::getline(lines, line);) {
      // Commands stand below titles of their own.
      if (line.ends_with(':') && line[0] != ' ') {
        listed = line != "Options:" && line != "Examples:";
      }
      const bool is_command = listed && line.size() > 2 && line.starts_with("  ") &&
                              std::islower(static_cast<unsigned char>(line[2])) != 0;
      if (!is_command) continue;
      auto below = path;
      below.push_back(line.substr(2, line.find(' ', 2) - 2));
      find_commands(below);
      any = true;
    }
    if (!any) left_.insert(path);
  }
  std::string answer_to(Arguments arguments, const std::string& input = "") {
    // What is done with need not come again.
    for (auto path = arguments; !path.empty(); path.pop_back()) left_.erase(path);
    arguments.insert(arguments.begin(), {vantro_program(), "--json"});
    auto environment = client_environment();
    environment.insert(environment.end(),
                       {{"HOME", scratch_.path()}, {"XDG_CONFIG_HOME", scratch_.path()}});
    const auto answer = run(arguments, environment, input, scratch_.path());
    EXPECT_EQ(answer.code, 0) << testing::PrintToString(arguments) << answer.err;
    return answer.out;
  }
  // Its answer, which is one JSON document.
  nlohmann::json ask(const Arguments& arguments, const std::string& input = "") {
    const auto answer = answer_to(arguments, input);
    auto json = read_json(answer);
    EXPECT_FALSE(json.is_discarded()) << testing::PrintToString(arguments) << answer;
    return json;
  }
  // Of a command that ends with 1, as something is not ready.
  nlohmann::json ask_and_be_stopped(Arguments arguments) {
    for (auto path = arguments; !path.empty(); path.pop_back()) left_.erase(path);
    arguments.insert(arguments.begin(), {"--json"});
    const auto answer = vantro(arguments);
    EXPECT_EQ(answer.code, 1) << answer.err;
    return read_json(answer.out);
  }
  std::string make(const std::string& name, const std::string& bytes) {
    fakes::write_file(scratch_ / name, bytes);
    return scratch_ / name;
  }
  void send(const std::string& name, const std::string& bytes) {
    send_from("127.0.0.1", name, bytes);
  }
  void send_from(const std::string& address, const std::string& name,
                 const std::string& bytes) {
    const auto sent = run({"curl", "-sSf", "-m", "60", "--interface", address, "-T",
                           make("sent", bytes), http_url("/" + name)});
    ASSERT_EQ(sent.code, 0) << sent.err;
  }

  std::set<Arguments> left_;
};

TEST_F(Json, IsWhatEachCommandAnswersWith) {
  ask({"image", "add", make("gate-7.4.1.img", "one"), "--platform", "sluice"});
  ask({"image", "add", make("gate-7.4.2.img", "two"), "--platform", "sluice"});
  make("inside.img", "three");
  ASSERT_EQ(
      run({"tar", "-C", scratch_.path(), "-cf", scratch_ / "all.tar", "inside.img"}).code,
      0);
  ask({"image", "add", scratch_ / "all.tar"});
  ask({"image", "extract", "all.tar", "inside.img"});
  EXPECT_EQ(ask({"image", "list"})["images"].size(), 4u);
  EXPECT_EQ(ask({"image", "info", "gate-7.4.1.img"})["image"]["name"], "gate-7.4.1.img");
  ask({"image", "find", scratch_ / "gate-7.4.1.img"});
  ask({"image", "compare", "gate-7.4.1.img", "gate-7.4.2.img"});
  ask({"image", "change", "gate-7.4.1.img", "--remark", "for the weirs"});
  ask({"image", "vouch", "gate-7.4.1.img", "--expect",
       "sha256:7692c3ad3540bb803c020b3aee66cd8887123234ea0c6e7143c0add73ff431ed"});
  ask({"image", "recognise", "gate-7.4.9.img"});
  ask({"image", "document", "add", "gate-7.4.1.img", make("notes.txt", "read this")});
  ask({"image", "document", "write", "gate-7.4.1.img", "notes.txt", "--out",
       scratch_ / "out.txt"});
  ask({"image", "document", "remove", "gate-7.4.1.img", "notes.txt", "--yes"});
  ask({"image", "write", "gate-7.4.1.img", "--out", scratch_ / "out.img"});
  ask({"image", "withdraw", "gate-7.4.2.img", "--reason", "it restarts"});
  ask({"image", "withdraw", "--undo", "gate-7.4.2.img"});
  ask({"offer", "add", "gate-7.4.1.img", "--name", "gate.img"});
  ask({"offer", "change", "gate.img", "--until", "2d"});
  EXPECT_FALSE(ask({"offer", "list"})["offers"].empty());
  ask({"offer", "history", "gate.img"});
  ask({"offer", "checksums"});
  ask({"offer", "end", "gate.img"});
  ask({"location", "gate-7.4.1.img"});
  ask({"kit", "add", "weir", "gate-7.4.1.img", "inside.img"});
  ask({"kit", "change", "weir", "--remark", "in this order"});
  EXPECT_EQ(ask({"kit", "list"})["kits"].size(), 1u);
  ask({"kit", "info", "weir"});
  ask({"kit", "remove", "weir", "--yes"});
  ask({"export", scratch_ / "exported", "gate-7.4.1.img"});
  ask({"import", scratch_ / "exported"});
  ask({"offer", "end", "inside.img"});
  ask({"image", "remove", "inside.img", "--yes"});
  ask({"verify"});
  EXPECT_EQ(ask({"snapshot", "nightly"})["state"], "complete");
  EXPECT_EQ(ask({"reload", "--dry-run"})["dry_run"], true);
  EXPECT_EQ(ask({"drain", "--until", "5m"})["idle"], true);
  EXPECT_EQ(ask({"drain", "--undo"})["draining"], false);
  EXPECT_EQ(ask({"notice", "list"})["receivers"].size(), 1u);
  EXPECT_EQ(ask({"notice", "test"})["results"][0]["ok"], true);

  ask({"device", "add", "weir-1", "--addresses", "127.0.0.1", "--site", "north"});
  send("site.cfg", "host weir-1\nport one\n");
  send("site.cfg", "host weir-1\nport two\n");
  send("gate.bin", std::string(5000, '\x01'));
  EXPECT_FALSE(ask({"backup", "list"})["files"].empty());
  EXPECT_EQ(ask({"backup", "revisions"})["backups"].size(), 3u);
  ask({"backup", "info", "weir-1", "site.cfg"});
  ask({"backup", "write", "weir-1", "site.cfg", "--out", scratch_ / "saved.cfg"});
  EXPECT_EQ(ask({"backup", "compare", "weir-1"})["comparison"]["added"], 1);
  EXPECT_EQ(ask({"backup", "compare", "weir-1", "--with",
                 scratch_ / "saved.cfg"})["comparison"]["same"],
            true);
  ask({"backup", "report", "--from", "1h"});
  ask({"backup", "overdue"});
  ask({"backup", "offer", "add", "weir-1", "site.cfg", "--name", "back.cfg"});
  ask({"backup", "offer", "list"});
  ask({"backup", "offer", "end", "back.cfg"});
  ask({"backup", "adopt", "weir-1", "gate.bin"});
  ask({"backup", "keep", "weir-1", "site.cfg", "--reason", "before the flood"});
  ask({"backup", "keep", "--undo", "weir-1", "site.cfg"});
  ask({"backup", "thin", "--dry-run"});
  EXPECT_EQ(ask({"device", "list"})["devices"].size(), 1u);
  ask({"device", "info", "weir-1"});
  ask({"device", "change", "weir-1", "--platform", "sluice"});
  EXPECT_EQ(
      ask({"device", "read", "weir-1", make("said.txt", "runs 7.4\n")})["learnt"].size(),
      1u);
  ask({"site", "change", "north", "--backup-every", "weekly"});
  EXPECT_EQ(ask({"site", "list"})["sites"][0]["name"], "north");
  ask({"device", "import", make("devices.csv", "name,addresses\nweir-2,127.0.0.2\n")});
  ask({"device", "assign", "weir-2", "127.0.0.3"});
  ask({"device", "remove", "weir-2", "--yes"});

  ask({"device", "add", "sluice-9", "--platform", "sluice", "--addresses", "127.0.0.9"});
  ask({"route", "import",
       make("rules.csv", "platform,rule,from,to\nsluice,never,1,9\n")});
  EXPECT_EQ(ask({"route", "rules"})["rules"].size(), 1u);
  EXPECT_EQ(ask({"route", "sluice", "--running", "7.4", "--wanted", "7.4.0"})["result"],
            "there");
  ask({"route", "remove", "sluice", "--yes"});
  ask({"image", "change", "gate-7.4.1.img", "--platform", "sluice", "--version", "7.4.1",
       "--role", "system", "--remark", "cold start"});
  EXPECT_FALSE(ask({"canary"})["ways"].empty());
  EXPECT_EQ(ask({"job", "add", "sluice-9", "--image", "gate-7.4.1.img"})["state"],
            "open");
  EXPECT_EQ(ask({"job", "list"})["jobs"].size(), 1u);
  ask({"job", "info", "sluice-9"});
  ask({"job", "acknowledge", "sluice-9"});
  send_from("127.0.0.9", "sluice-9.cfg", "host sluice-9\n");
  EXPECT_NE(ask({"ready", "sluice-9"})["verdict"], "stop");
  ask({"job", "sheet", "sluice-9"});
  ask({"job", "mark", "sluice-9", "running"});
  ask({"job", "watch", "sluice-9", "--seconds", "1"});
  EXPECT_EQ(ask({"job", "end", "sluice-9"})["state"], "withdrawn");
  // One that somebody else has planned.
  const auto planned =
      run({"curl", "-sSf", "-X", "POST", "-H",
           "Authorization: Bearer " + std::string(kSecretsToken), "-d",
           R"({"device": "sluice-9", "image": "gate-7.4.1.img"})", url() + "/v1/jobs"});
  ASSERT_EQ(planned.code, 0) << planned.err;
  EXPECT_NE(ask({"job", "take", "sluice-9"})["owner"], "secrets");
  ask({"job", "end", "sluice-9"});
  ask({"device", "change", "sluice-9", "--running-version", ""});
  EXPECT_EQ(ask({"rollout", "add", "spring", "--devices", "platform=sluice", "--image",
                 "gate-7.4.1.img", "--batch", "1"})["batches"],
            2);
  EXPECT_EQ(ask({"rollout", "list"})["rollouts"].size(), 1u);
  ask({"rollout", "info", "spring"});
  EXPECT_EQ(ask_and_be_stopped({"rollout", "ready", "spring"})["stopped"], 1);
  ask({"job", "mark", "sluice-9", "failed"});
  EXPECT_EQ(ask({"rollout", "continue", "spring"})["state"], "running");
  EXPECT_EQ(ask({"rollout", "end", "spring"})["state"], "withdrawn");

  ask({"account", "add", "night", "--may", "fetch"}, "night and day\n");
  EXPECT_EQ(ask({"account", "list"})["accounts"].size(), 2u);
  ask({"account", "change", "night", "--may", "fetch,deposit"});
  ASSERT_EQ(run({"ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-C", "of a test", "-f",
                 scratch_ / "key"})
                .code,
            0);
  ask({"account", "key", "add", "night", scratch_ / "key.pub"});
  ask({"account", "key", "list", "night"});
  ask({"account", "key", "remove", "night", "of a test", "--yes"});
  ask({"account", "remove", "night", "--yes"});

  auto added = ask({"person", "add", "anna", "--role", "operate"});
  EXPECT_EQ(added["tokens"], 1);
  EXPECT_FALSE(ask({"person", "list"})["people"].empty());
  ask({"person", "change", "anna", "--role", "look"});
  ask({"token", "add", "desk", "--by", "anna"});
  ask({"token", "list", "--by", "anna"});
  ask({"token", "change", "desk", "--by", "anna", "--until", "2d"});
  ask({"token", "end", "desk", "--by", "anna"});
  ask({"login", secure_url(), "--fingerprint", fingerprint()},
      added["token"].get<std::string>() + "\n");
  const auto server = ask({"server", "list"})["servers"][0]["name"].get<std::string>();
  ask({"server", "use", server});
  ask({"logout", server});
  ask({"person", "remove", "anna", "--yes"});

  take_in("rescue.img", "what is pushed");
  EXPECT_EQ(ask({"rescue", "profiles"})["profiles"].size(), 1u);
  const auto session =
      ask({"rescue", "open", "--interface", "lo", "--profile", "waiting"});
  EXPECT_EQ(session["opened"], true);
  EXPECT_EQ(session["rescue"]["names"][0]["name"], "boot.img");
  EXPECT_EQ(ask({"rescue", "list"})["rescues"].size(), 1u);
  EXPECT_EQ(ask({"rescue", "info"})["stage"], "waiting");
  std::istringstream stages(answer_to({"rescue", "watch", "--seconds", "1"}));
  for (std::string line; std::getline(stages, line);) {
    EXPECT_FALSE(read_json(line).is_discarded()) << line;
  }
  EXPECT_EQ(ask({"push", "rescue.img", "--device", "127.1.0.9", "--start-only"})["total"],
            14);
  EXPECT_EQ(ask({"rescue", "end"})["stage"], "closed");

  EXPECT_TRUE(ask({"node", "list"})["nodes"].is_array());
  // One that was stopped for good.
  change_database(
      "insert into nodes (name, run, host, version, started_at, seen_at, left_behind, "
      "watches_until) values ('weir', '', 'weir', '1', 1, 2, 0, 0)");
  ask({"node", "remove", "weir", "--yes"});
  EXPECT_TRUE(ask({"mirror", "list"})["mirrors"].empty());
  EXPECT_EQ(ask({"mirror", "show"})["of"], "");
  change_database(
      "insert into mirrors (name, wants, version, came_from, first_at, seen_at, "
      "current_at, tag, held, lacking, missing, rate, rows_waiting, trouble, rows_upto, "
      "sync_at) values ('heron', 'open jobs', '1', '192.0.2.7', 1, 2, 2, '', 3, 1, 4, 5, "
      "6, '', 7, 0)");
  EXPECT_EQ(ask({"mirror", "list"})["mirrors"][0]["state"], "silent");
  EXPECT_EQ(ask({"mirror", "show", "heron"})["missing"], 4);
  EXPECT_EQ(ask({"mirror", "sync", "heron"})["sync"], true);
  ask({"unrecorded", "list"});
  ask({"unrecorded", "keep", "--all"});
  ask({"unrecorded", "remove", "--all", "--yes"});
  ask({"status"});
  ask({"transfer", "list"});
  ask({"contact"});
  ask({"contact", "127.0.0.1"});
  ask({"changes"});
  ask({"ledger"});
  ask({"ledger", "verify"});
  // It goes on, so each line is one.
  const Process slow({"curl", "-sS", "--limit-rate", "20k", "-T",
                      make("slow", std::string(500'000, '\x01')), http_url("/slow.bin")},
                     {}, scratch_ / "slow.out", scratch_ / "slow.err");
  std::istringstream lines(answer_to({"watch", "--seconds", "1"}));
  int events = 0;
  for (std::string line; std::getline(lines, line); ++events) {
    EXPECT_FALSE(read_json(line).is_discarded()) << line;
  }
  EXPECT_GT(events, 0);
  EXPECT_THAT(left_, IsEmpty());
}

}  // namespace
}  // namespace vantro::end_to_end
