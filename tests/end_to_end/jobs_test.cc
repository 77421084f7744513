// Before the point of no return, with real clients as devices: the canary, the wrong
// file, a job from its plan to its confirmation, a rollout, and what a bad settings file
// is told.
#include <gmock/gmock.h>
#include <unistd.h>

#include "tests/end_to_end/ssh_fixture.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;
using testing::Not;

constexpr const char* kSettings = R"([[report]]
platform = "lattice24"
pattern = '^ *system +(?P<version>\S+)'

[[report]]
platform = "lattice24"
pattern = '^ *room +(?P<free>\d+) (?P<unit>KiB)'

[[backups.kind]]
pattern = '.*\.rpt'
kind = "report"

[[sheet]]
platform = "lattice24"
form = "running"
order = ["name", "server", "port"]
)";

class JobsEndToEnd : public SshFixture {
 protected:
  void SetUp() override {
    SshFixture::SetUp();
    start_again(kSettings);
    for (const auto& [name, role, version] : {std::tuple("boot-2.0.img", "boot", "2.0"),
                                              {"system-3.12.0.img", "system", "3.12.0"},
                                              {"system-4.0.1.img", "system", "4.0.1"}}) {
      take_in(name, std::string("bytes of ") + name);
      done({"image", "change", name, "--platform", "lattice24", "--role", role,
            "--version", version, "--stage", "proven"});
    }
    fakes::write_file(scratch_ / "rules.csv",
                      "platform,rule,to,needs,source\n"
                      "lattice24,needs-version,>=4.0,>=3.12,\"notes 4.0, page 3\"\n"
                      "lattice24,needs-first,>=3.12,boot >=2.0,notes 3.12\n");
    done({"route", "import", scratch_ / "rules.csv"});
    done({"device", "add", "osier-sw", "--addresses", "127.0.0.3", "--platform",
          "lattice24", "--site", "Osier Works", "--running-version", "3.10.1"});
  }
  std::string done(const Arguments& arguments, int code = 0) {
    const auto output = vantro(arguments);
    EXPECT_EQ(output.code, code)
        << testing::PrintToString(arguments) << output.err << output.out;
    return code == 0 ? output.out : output.out + output.err;
  }
  std::string ftp(const std::string& name) const {
    return "ftp://127.0.0.1:" + std::to_string(ftp_port_) + "/" + name;
  }
  // As the device at 127.0.0.3.
  Output osier(Arguments arguments) const {
    arguments.insert(arguments.begin(),
                     {"curl", "-sS", "-m", "60", "--interface", "127.0.0.3"});
    return run(arguments, {}, "", scratch_.path());
  }
  void send(const std::string& name, const std::string& text) {
    fakes::write_file(scratch_ / "sent", text);
    ASSERT_EQ(osier({"-T", scratch_ / "sent", ftp(name)}).code, 0);
  }
  std::string stage(const std::string& device = "osier-sw") {
    return vantro_json({"job", "info", device})["stage"];
  }
};

TEST_F(JobsEndToEnd, TheCanaryCanBeFetchedOverEveryProtocol) {
  const auto lines_match = [](const std::string& text) {
    const auto at = text.rfind("SHA-256 of the lines above: ");
    if (at == std::string::npos) return std::string("no checksum in: " + text);
    const auto sum = run({"sha256sum"}, {}, text.substr(0, at)).out.substr(0, 64);
    return text.substr(at + 28, 64) == sum ? std::string("whole") : "another checksum";
  };
  EXPECT_EQ(lines_match(osier({tftp_url("hello")}).out), "whole");
  EXPECT_EQ(lines_match(osier({ftp("hello")}).out), "whole");
  EXPECT_EQ(lines_match(osier({http_url("/hello")}).out), "whole");
  for (const auto* old_way : {"-s", "-O"}) {
    const auto copied = run(with_config("scp", {old_way, "v:hello", scratch_ / "hello"}));
    ASSERT_EQ(copied.code, 0) << copied.err;
    EXPECT_EQ(lines_match(file("hello")), "whole");
    EXPECT_THAT(file("hello"), HasSubstr(" as 'night'."));
  }
  // The larger one is the same each time, whole, and goes on where it was cut.
  ASSERT_EQ(osier({"-o", scratch_ / "one", http_url("/hello-1M")}).code, 0);
  ASSERT_EQ(osier({"-o", scratch_ / "two", ftp("hello-1M")}).code, 0);
  ASSERT_EQ(file("one").size(), 1u << 20);
  EXPECT_EQ(file("one"), file("two"));
  fakes::write_file(scratch_ / "three", file("one").substr(0, 1000));
  ASSERT_EQ(osier({"-C", "-", "-o", scratch_ / "three", http_url("/hello-1M")}).code, 0);
  EXPECT_EQ(file("three"), file("one"));
  EXPECT_THAT(osier({http_url("/hello-2M")}).out, HasSubstr("is not on offer"));
  // From the server's own side.
  EXPECT_THAT(done({"canary"}), HasSubstr("fetched and whole"));
  EXPECT_THAT(done({"canary"}), HasSubstr("a fetch needs an account"));
}

TEST_F(JobsEndToEnd, AJobGoesFromItsPlanToItsConfirmation) {
  EXPECT_THAT(done({"route", "--device", "osier-sw", "--wanted", "system-4.0.1.img"}),
              HasSubstr("from 3.10.1 to 4.0.1 in 2 steps"));
  EXPECT_THAT(done({"ready", "osier-sw", "--image", "system-4.0.1.img"}, 1),
              HasSubstr("stop: configuration backup"));
  done({"job", "add", "osier-sw", "--image", "system-4.0.1.img", "--slot", "B"});
  // Somebody else's second plan is refused, with whose the first is.
  const auto second = run({"curl", "-sS", "-X", "POST", "-H",
                           "Authorization: Bearer " + std::string(kSecretsToken), "-d",
                           R"({"device": "osier-sw", "image": "system-3.12.0.img"})",
                           url() + "/v1/jobs"});
  EXPECT_THAT(second.out, HasSubstr("planned 'system-4.0.1.img' for osier-sw at"));
  EXPECT_THAT(second.out, HasSubstr("vantro job take osier-sw"));
  EXPECT_EQ(stage(), "planned");

  send("osier-sw.cfg", "host osier-sw\n");
  send("osier-sw.rpt", "UNIT\n system 3.10.1\n room 40000 KiB\n");
  ASSERT_EQ(osier({"-o", "/dev/null", ftp("hello-1M")}).code, 0);
  EXPECT_THAT(done({"ready", "osier-sw", "--over", "ftp"}),
              HasSubstr("from this device over ftp"));
  EXPECT_EQ(stage(), "to fetch");
  EXPECT_THAT(done({"device", "info", "osier-sw"}),
              HasSubstr("revision 1 of 'osier-sw.rpt'"));

  // The sheet's values, in the order of the settings, are what a device can use.
  const auto sheet = vantro_json({"job", "sheet", "osier-sw", "--over", "ftp"});
  ASSERT_EQ(sheet["values"].size(), 3u);
  EXPECT_EQ(sheet["values"][0]["name"], "name");
  const auto typed = "ftp://" + sheet["values"][1]["value"].get<std::string>() + ":" +
                     sheet["values"][2]["value"].get<std::string>() + "/" +
                     sheet["values"][0]["value"].get<std::string>();
  EXPECT_EQ(osier({typed}).out, "bytes of boot-2.0.img");
  EXPECT_EQ(stage(), "sent");
  const auto list = done({"job", "list"});
  EXPECT_THAT(list, HasSubstr("do not power it off"));
  done({"job", "sheet", "osier-sw", "--html", "--out", scratch_ / "sheet.html"});
  EXPECT_THAT(file("sheet.html"), HasSubstr("<code>boot-2.0.img</code>"));

  EXPECT_THAT(osier({"-v", ftp("nothing.img")}).err, HasSubstr("your job needs"));
  done({"job", "mark", "osier-sw", "running"});
  EXPECT_THAT(done({"job", "mark", "osier-sw", "confirmed"}, 2),
              HasSubstr("some parts do not run yet"));
  EXPECT_THAT(done({"job", "mark", "osier-sw", "runing"}, 2), HasSubstr("running"));
  // The device's story does not call it done.
  ASSERT_EQ(osier({ftp("system-3.12.0.img")}).code, 0);
  EXPECT_TRUE(eventually([&] { return stage() == "sent"; }));
  EXPECT_THAT(done({"contact", "127.0.0.3"}), HasSubstr("its job waits for"));
  EXPECT_THAT(done({"contact", "127.0.0.3"}), Not(HasSubstr("nothing more to do here")));
  EXPECT_THAT(done({"contact"}), HasSubstr("system-4.0.1.img"));

  // It outlives the server; a report tells what runs.
  stop();
  start({"--config", scratch_ / "vantro.toml"});
  EXPECT_EQ(stage(), "sent");
  send("osier-sw.rpt", "UNIT\n system 3.12.0\n room 40000 KiB\n");
  EXPECT_EQ(stage(), "to fetch");
  ASSERT_EQ(osier({ftp("system-4.0.1.img")}).code, 0);
  send("osier-sw.rpt", "UNIT\n system 4.0.1\n room 40000 KiB\n");
  EXPECT_EQ(stage(), "running");
  EXPECT_THAT(done({"job", "watch", "osier-sw", "--seconds", "0.5", "--tcp", "1"}),
              HasSubstr("osier-sw: running; waits for confirmation"));
  done({"job", "mark", "osier-sw", "confirmed", "--remark", "all ports are up"});
  const auto ended = done({"job", "info", "osier-sw"});
  EXPECT_THAT(ended, HasSubstr("'nothing.img' is not on offer"));
  EXPECT_THAT(ended, HasSubstr("all ports are up"));
  EXPECT_THAT(done({"job", "list"}), HasSubstr("No open jobs;"));
  EXPECT_THAT(done({"job", "list", "--all"}), HasSubstr("confirmed"));
  const auto events = done({"ledger"});
  for (const auto* event : {"job-plan", "job-mark", "job-confirmed", "route-rules"}) {
    EXPECT_THAT(events, HasSubstr(event));
  }
}

TEST_F(JobsEndToEnd, TheWrongFileIsRefusedOnTheDevicesConsole) {
  take_in("weir-1.img", "not for it");
  done({"image", "change", "weir-1.img", "--platform", "weir2", "--role", "system"});
  const std::string why =
      "it is for weir2, and the device is a lattice24; to allow it: "
      "'vantro offer change weir-1.img --any-platform'";
  EXPECT_THAT(osier({"-v", ftp("weir-1.img")}).err, HasSubstr(why));
  EXPECT_THAT(osier({http_url("/weir-1.img")}).out, HasSubstr(why));
  const auto tftp =
      run({"python3", "-c",
           "import socket,sys\n"
           "s=socket.socket(socket.AF_INET,socket.SOCK_DGRAM)\n"
           "s.bind(('127.0.0.3',0));s.settimeout(10)\n"
           "s.sendto(b'\\0\\1weir-1.img\\0octet\\0',('127.0.0.1',int(sys.argv[1])))\n"
           "print(s.recv(600)[4:-1].decode())",
           std::to_string(tftp_port_)});
  EXPECT_THAT(tftp.out, HasSubstr(why));
  EXPECT_THAT(done({"contact", "127.0.0.3"}), HasSubstr(why));
  EXPECT_THAT(done({"location", "weir-1.img", "--device", "osier-sw"}),
              HasSubstr("not for osier-sw: 'weir-1.img' is refused"));
  done({"offer", "change", "weir-1.img", "--any-platform"});
  EXPECT_EQ(osier({http_url("/weir-1.img")}).out, "not for it");
  EXPECT_THAT(done({"contact", "127.0.0.3"}), HasSubstr("CAUTION: it is for weir2"));
  // With the setting it is only said; that takes a reload.
  done({"offer", "change", "weir-1.img", "--own-platform"});
  EXPECT_THAT(osier({http_url("/weir-1.img")}).out, HasSubstr(why));
  fakes::write_file(scratch_ / "vantro.toml",
                    std::string(kSettings) + "\n[fetch]\nother_platform = \"warn\"\n");
  server_->signal(SIGHUP);
  EXPECT_TRUE(
      eventually([&] { return osier({http_url("/weir-1.img")}).out == "not for it"; }));
}

TEST_F(JobsEndToEnd, ARolloutGoesByBatchesAndIsATable) {
  for (int i = 1; i <= 4; ++i) {
    const auto number = std::to_string(i);
    done({"device", "add", "pump-" + number, "--addresses", "127.0.1." + number,
          "--platform", "lattice24", "--site", i < 3 ? "Heron" : "Sedge",
          "--running-version", "3.12.0", "--boot-version", "2.0"});
  }
  const Arguments plan{"rollout",
                       "add",
                       "spring",
                       "--devices",
                       "name=pump-*",
                       "--image",
                       "system-4.0.1.img",
                       "--batch",
                       "2",
                       "--stop-after",
                       "1"};
  auto dry = plan;
  dry.emplace_back("--dry-run");
  EXPECT_THAT(done(dry), HasSubstr("Nothing was planned"));
  done(plan);
  const auto ready = done({"rollout", "ready", "spring"}, 1);
  EXPECT_THAT(ready, HasSubstr("0 ready, 4 stopped"));
  EXPECT_THAT(ready, HasSubstr("stop: configuration backup"));
  EXPECT_THAT(ready, HasSubstr("stop: configuration backup, no other job"));
  done({"job", "mark", "pump-1", "failed", "--remark", "no power"});
  EXPECT_THAT(done({"rollout", "info", "spring"}), HasSubstr("stopped: 1 failed"));
  EXPECT_THAT(done({"ready", "pump-2"}, 1), HasSubstr("rollout 'spring' is stopped"));
  EXPECT_THAT(done({"rollout", "continue", "spring"}), HasSubstr("batch 1 of 2"));
  done({"job", "mark", "pump-2", "running"});
  done({"job", "mark", "pump-2", "confirmed"});
  EXPECT_EQ(stage("pump-3"), "planned");
  const auto csv = done({"rollout", "info", "spring", "--csv"});
  EXPECT_THAT(csv,
              HasSubstr("device,site,batch,state,stage,waits_for,since,owner,ended_why"));
  EXPECT_THAT(csv, HasSubstr("pump-1,Heron,1,failed,failed,"));
  EXPECT_THAT(csv, HasSubstr("pump-3,Sedge,2,open,planned,"));
  EXPECT_THAT(done({"rollout", "list"}), HasSubstr("running"));
  done({"rollout", "end", "spring", "--reason", "autumn"});
  EXPECT_EQ(stage("pump-4"), "withdrawn");
}

TEST_F(JobsEndToEnd, RulesComeAsTomlToo) {
  fakes::write_file(scratch_ / "rules.toml",
                    "[[rule]]\nplatform = \"weir2\"\nrule = \"never\"\nfrom = \"1.0\"\n"
                    "to = \">=2.0\"\nsource = \"notes\"\n");
  EXPECT_THAT(done({"route", "import", scratch_ / "rules.toml"}),
              HasSubstr("+ weir2: never go from system 1.0 to system >=2.0 (notes)"));
  const auto wrong = [&](const std::string& text) {
    fakes::write_file(scratch_ / "wrong.toml", text);
    return done({"route", "import", scratch_ / "wrong.toml"}, 2);
  };
  EXPECT_THAT(wrong("[[rule]]\nplatfrom = \"x\"\n"),
              HasSubstr("line 2: unknown key 'platfrom'"));
  EXPECT_THAT(wrong("[[rule]]\nplatform = 7\n"), HasSubstr("must be a text in quotes"));
  EXPECT_THAT(wrong("rule = \n"), HasSubstr("line 1"));
  EXPECT_THAT(wrong("x = 1\n"), HasSubstr("no rules in it"));
  EXPECT_THAT(wrong("[[rule]]\nplatform = \"x\"\nrule = \"nevr\"\n"),
              HasSubstr("rule 1: 'nevr' is not a rule"));
  EXPECT_THAT(done({"route", "remove", "weir2", "--yes"}), HasSubstr("1 rule removed"));
  done({"route", "remove", "weir2", "--yes"}, 5);
}

TEST_F(JobsEndToEnd, SettingsThatCannotBeReadAreNamedWithTheirLine) {
  const auto check = [&](const std::string& text) {
    fakes::write_file(scratch_ / "bad.toml", text);
    const auto checked =
        run({vantrod_program(), "--config", scratch_ / "bad.toml", "--check"});
    EXPECT_NE(checked.code, 0) << text;
    return checked.err;
  };
  EXPECT_THAT(check("[[report]]\npattern = '('\n"), HasSubstr("can't be read"));
  EXPECT_THAT(check("[[report]]\nplatform = 'x'\n"),
              HasSubstr("a report needs a pattern"));
  EXPECT_THAT(check("[[report]]\npattern = '(?P<versoin>.)'\n"),
              HasSubstr("nearest: 'version'"));
  EXPECT_THAT(check("[[report]]\npattrn = 'x'\n"),
              HasSubstr("unknown key 'pattrn' of a report"));
  EXPECT_THAT(check("[[sheet]]\nfile = '/none/such'\n"), HasSubstr("/none/such"));
  EXPECT_THAT(check("[[sheet]]\nform = 'paper'\n"), HasSubstr("form: must be one of"));
  EXPECT_THAT(check("[[sheet]]\norder = ['sever']\n"), HasSubstr("nearest: 'server'"));
  fakes::write_file(scratch_ / "t.mustache", "{{#values}}");
  EXPECT_THAT(check("[[sheet]]\nfile = '" + (scratch_ / "t.mustache") + "'\n"),
              HasSubstr("the template can't be read"));
  EXPECT_THAT(check("[fetch]\nother_platform = 'allow'\n"), HasSubstr("refuse"));
}

// In a network of its own, with a packet filter that drops what devices send.
TEST_F(JobsEndToEnd, TheCanaryNamesTheRuleThatWouldDropIt) {
  stop();
  ssh_listen_ = "none";
  Arguments before{"unshare", "--net"};
  if (::geteuid() != 0) before.emplace_back("--map-root-user");
  auto possible = before;
  possible.insert(possible.end(), {"nft", "list", "ruleset"});
  if (run(possible).code != 0) GTEST_SKIP() << "no packet filter in a network of its own";
  const auto rules = scratch_ / "rules.nft";
  fakes::write_file(rules, R"(table inet filter {
  chain input {
    type filter hook input priority 0; policy drop;
    iif lo accept
    ct state established accept
    tcp dport { 8080 } accept
  }
}
)");
  const auto inside = scratch_ / "inside.sh";
  fakes::write_file(inside,
                    "ip link set lo up && nft -f '" + rules + "' && exec \"$@\"\n");
  before.insert(before.end(), {"sh", inside});
  tftp_listen_ = "127.0.0.1:6969";
  http_listen_ = "127.0.0.1:8080";
  start({}, before);
  Arguments canary{"nsenter",
                   "--net=/proc/" + std::to_string(server_->pid()) + "/ns/net"};
  if (::geteuid() != 0) {
    canary = {"nsenter", "--user",
              "--net",   "--preserve-credentials",
              "-t",      std::to_string(server_->pid())};
  }
  canary.insert(canary.end(), {vantro_program(), "canary"});
  const auto told = run(canary, client_environment());
  EXPECT_EQ(told.code, 1) << told.err;
  EXPECT_THAT(told.out, HasSubstr("packet filter: tcp port 8080 (http) passes"));
  EXPECT_THAT(told.out, HasSubstr("packet filter: udp port 6969 (tftp) is dropped by: "
                                  "policy drop of inet filter input"));
  EXPECT_THAT(told.out,
              HasSubstr("nft insert rule inet filter input udp dport 6969 accept"));
}

}  // namespace
}  // namespace vantro::end_to_end
