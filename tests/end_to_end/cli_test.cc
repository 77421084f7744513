// vantro as a person uses it: what it prints, and what it exits with.
#include <algorithm>
#include <cctype>
#include <csignal>
#include <filesystem>
#include <fmt/format.h>
#include <regex>
#include <sstream>

#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {
namespace {

class Cli : public ServerFixture {
 protected:
  void send(const std::string& name, const std::string& bytes) {
    fakes::write_file(scratch_ / "sent", bytes);
    const auto sent =
        run({"curl", "-sS", "-m", "60", "-T", scratch_ / "sent", tftp_url(name)});
    ASSERT_EQ(sent.code, 0) << sent.err;
  }
};

constexpr const char* kAbcSha256 =
    "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";

TEST_F(Cli, TakesAnImageInAndSaysWhatToType) {
  fakes::write_file(scratch_ / "x-1.img", "abc");
  const auto added =
      vantro({"image", "add", scratch_ / "x-1.img", "--expect", kAbcSha256});
  EXPECT_EQ(added.code, 0);
  EXPECT_EQ(
      added.out,
      "x-1.img: added\n"
      "  size        3 bytes\n"
      "  SHA-256     ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad\n"
      "  inside      nothing inside that could be checked: unknown format\n"
      "  maker says  vouched: the checksum is as expected\n"
      "On offer. Devices must type exactly: x-1.img\n");
  EXPECT_EQ(added.err, "");
}

TEST_F(Cli, ShowsBothChecksumsWhenTheyDiffer) {
  fakes::write_file(scratch_ / "x-1.img", "abc");
  const auto added = vantro({"image", "add", scratch_ / "x-1.img", "--expect",
                             "SHA-1:0000000000000000000000000000000000000000"});
  EXPECT_EQ(added.code, 6);
  EXPECT_EQ(added.err,
            "vantro: the SHA-1 checksum of the file differs from the expected one; "
            "nothing was "
            "added\n"
            "  expected  0000000000000000000000000000000000000000\n"
            "  received  a9993e364706816aba3e25717850c26c9cd0d89d\n");
  EXPECT_EQ(vantro({"image", "list"}).out,
            "No images yet. Add one with: vantro image add FILE\n");
}

TEST_F(Cli, RefusesWhatItCannotRead) {
  const auto missing = vantro({"image", "add", scratch_ / "none.img"});
  EXPECT_EQ(missing.code, 7);
  EXPECT_EQ(missing.err,
            "vantro: " + (scratch_ / "none.img") + ": No such file or directory\n");
  EXPECT_EQ(vantro({"image", "add", scratch_.path()}).code, 7);
  fakes::write_file(scratch_ / "x", "abc");
  const auto odd = vantro({"image", "add", scratch_ / "x", "--expect", "abc"});
  EXPECT_EQ(odd.code, 2);
  EXPECT_NE(odd.err.find("the checksum has 3 digits"), std::string::npos);
  EXPECT_EQ(vantro({"image", "add", scratch_ / "x", "--name", "../x"}).err,
            "vantro: '../x' contains '..', which is never followed\n");
  EXPECT_EQ(vantro({"image", "add"}).code, 2);
  const auto burn = vantro({"image", "burn"});
  EXPECT_EQ(burn.code, 2);
  EXPECT_EQ(
      burn.err,
      "vantro: unknown command 'vantro image burn'; 'vantro image --help' lists the "
      "commands\n");
  // What only the server can judge is wrong use all the same.
  EXPECT_EQ(vantro({"offer", "list", "--at", "2199-01-01"}).code, 2);
  EXPECT_EQ(vantro({"person", "add", "ida", "--role", "foo"}).code, 2);
  EXPECT_EQ(vantro({"image", "add", scratch_ / "x", "--role", "foo"}).code, 2);
  EXPECT_EQ(vantro({"image", "add", scratch_ / "x", "--name", "../x"}).code, 2);
  // Bytes that are refused are not.
  fakes::write_file(scratch_ / "empty", "");
  EXPECT_EQ(vantro({"image", "add", scratch_ / "empty"}).code, 1);
  EXPECT_EQ(vantro({"image", "info", "none.img"}).code, 5);
  EXPECT_EQ(vantro({"--help"}).code, 0);
}

TEST_F(Cli, HoldsAnImageBack) {
  fakes::write_file(scratch_ / "x.img", "abc");
  const auto held = vantro({"image", "add", scratch_ / "x.img", "--hold"});
  EXPECT_NE(held.out.find("Held: not on offer."), std::string::npos);
  EXPECT_TRUE(vantro_json({"offer", "list"})["offers"].empty());
  const auto offered = vantro({"image", "add", scratch_ / "x.img"});
  EXPECT_EQ(offered.out.find("x.img: these bytes are known under this name already\n"),
            0u);
  EXPECT_EQ(vantro_json({"offer", "list"})["offers"][0]["name"], "x.img");
}

TEST_F(Cli, GivesTheNearestNameWhenThereIsNoSuchImage) {
  take_in("x-system-1.img", "abc");
  const auto shown = vantro({"image", "info", "x-sytsem-1.img"});
  EXPECT_EQ(shown.code, 5);
  EXPECT_EQ(shown.err,
            "vantro: unknown image 'x-sytsem-1.img'; nearest: "
            "'x-system-1.img'\n");
  const auto found = vantro({"image", "info", "x-system-1.img"});
  EXPECT_NE(found.out.find(kAbcSha256), std::string::npos);
  // The beginning of its checksum names it as well; less than that does not.
  const std::string sum = kAbcSha256;
  EXPECT_EQ(vantro({"image", "info", sum.substr(0, 8)}).out, found.out);
  EXPECT_EQ(vantro({"image", "info", sum}).out, found.out);
  EXPECT_EQ(vantro({"image", "info", sum.substr(0, 7)}).code, 5);
}

TEST_F(Cli, CompletesTheNamesThatTheServerHas) {
  take_in("x-system-1.img", "abc");
  EXPECT_EQ(vantro({"device", "add", "weir-1"}).code, 0);
  EXPECT_EQ(vantro({"--complete", "image", "info"}).out, "x-system-1.img\n");
  EXPECT_EQ(vantro({"--complete", "job", "add", "--image"}).out, "x-system-1.img\n");
  EXPECT_EQ(vantro({"--complete", "ledger", "--device"}).out, "weir-1\n");
  EXPECT_EQ(vantro({"--complete", "status"}).out, "");
  // As a shell uses it.
  ASSERT_EQ(vantro({"--write-manuals", scratch_ / "man"}).code, 0);
  const auto completed = [&](const std::string& words, int at) {
    auto environment = client_environment();
    environment.emplace_back(
        "PATH", std::filesystem::path(vantro_program()).parent_path().string() +
                    ":/usr/bin:/bin");
    return run({"bash", "-c",
                fmt::format("source {}/bash/vantro; COMP_WORDS=({} ''); COMP_CWORD={}; "
                            "_vantro; printf '%s\\n' \"${{COMPREPLY[@]}}\"",
                            scratch_ / "man", words, at)},
               environment)
        .out;
  };
  EXPECT_EQ(completed("vantro image info", 3), "x-system-1.img\n");
  EXPECT_EQ(completed("vantro site", 2), "list\nchange\n");
  // Silent where no server is.
  stop();
  const auto none = vantro({"--complete", "image", "info"});
  EXPECT_EQ(none.out + none.err, "");
  EXPECT_EQ(none.code, 0);
}

TEST_F(Cli, ShowsInOneScreenWhatGoesOn) {
  take_in("x-system-1.img", "abc");
  run({"curl", "-s", http_url("/x-sytsem-1.img")});
  const auto all = vantro({});
  EXPECT_EQ(all.code, 0) << all.err;
  EXPECT_NE(all.out.find("1 image, 1 offer"), std::string::npos) << all.out;
  EXPECT_NE(all.out.find("refused fetch 'x-sytsem-1.img'"), std::string::npos) << all.out;
  // On a narrow terminal a refusal takes two lines.
  auto environment = client_environment();
  environment.emplace_back("COLUMNS", "50");
  const auto narrow = run({vantro_program()}, environment).out;
  EXPECT_NE(narrow.find(" refused fetch\n    'x-sytsem-1.img': "), std::string::npos)
      << narrow;
  std::istringstream lines(narrow.substr(narrow.find('\n')));
  for (std::string line; std::getline(lines, line);) EXPECT_LE(line.size(), 50u) << line;
  const auto json = read_json(vantro({"--json"}).out);
  EXPECT_EQ(json["status"]["images"], 1);
  EXPECT_EQ(json["refused"]["entries"].size(), 1u);
}

// Each of them, so that none prints a table where a program asked for values.
TEST_F(Cli, EveryListIsWrittenForPrograms) {
  take_in("b.img", "abc");
  std::size_t lists = 0;
  std::istringstream reference(fakes::read_file(VANTRO_SOURCE_DIR "/docs/reference.md"));
  Arguments command;
  for (std::string line; std::getline(reference, line);) {
    if (line.starts_with("Usage: vantro ")) {
      command.clear();
      std::istringstream words(line.substr(14));
      for (std::string word; words >> word && std::islower(word[0]) != 0;) {
        command.push_back(word);
      }
      // Others need to be told of what.
      if (line.find(" [OPTION...]") == std::string::npos) command.clear();
    }
    if (!line.starts_with("  --csv ") || command.empty()) continue;
    command.emplace_back("--csv");
    const auto csv = vantro(command);
    if (csv.code == 2 && csv.err.find("required") != std::string::npos) continue;
    const auto head = csv.out.substr(0, csv.out.find('\n'));
    EXPECT_TRUE(std::regex_match(head, std::regex("[a-z0-9_ ]+(,[a-z0-9_ ]+)+")))
        << testing::PrintToString(command) << csv.out << csv.err;
    ++lists;
  }
  EXPECT_GT(lists, 18u);
  // By its name as well, once it was heard.
  run({"curl", "-s", http_url("/b.img")});
  EXPECT_EQ(vantro({"device", "add", "weir-1", "--addresses", "127.0.0.1"}).code, 0);
  EXPECT_NE(vantro({"contact", "WEIR-1"}).out.find("b.img"), std::string::npos);
  EXPECT_EQ(vantro({"contact", "weir-2"}).code, 5);
}

TEST_F(Cli, SaysWhatWasDoneWhenItIsInterrupted) {
  // Large enough that it is still being sent.
  fakes::write_file(scratch_ / "large.img", "");
  std::filesystem::resize_file(scratch_ / "large.img", 4ull << 30);
  Process adding({vantro_program(), "--progress", "plain", "image", "add",
                  scratch_ / "large.img", "--yes"},
                 client_environment(), scratch_ / "add.out", scratch_ / "add.err");
  EXPECT_TRUE(eventually([&] {
    for (const auto& one :
         std::filesystem::directory_iterator(own_state() + "/arriving")) {
      if (one.file_size() > 1000) return true;
    }
    return false;
  }));
  adding.signal(SIGINT);
  EXPECT_EQ(adding.wait(), 1);
  const auto said = file("add.err");
  EXPECT_NE(said.find("interrupted after "), std::string::npos) << said;
  EXPECT_NE(said.find("of 4.0 GiB; run the same command again within an hour"),
            std::string::npos)
      << said;
  EXPECT_TRUE(vantro_json({"image", "list"})["images"].empty());
}

TEST_F(Cli, WritesListsForPrograms) {
  take_in("b.img", "abc");
  take_in("a.img", "abcdef");
  const auto csv = [&](Arguments more) {
    more.insert(more.begin(), {"image", "list", "--csv", "--columns", "name,size"});
    return vantro(more).out;
  };
  EXPECT_EQ(csv({"--sort", "size"}), "name,size\nb.img,3\na.img,6\n");
  EXPECT_EQ(csv({"--sort", "size", "--reverse"}), "name,size\na.img,6\nb.img,3\n");
  const auto lines = vantro({"offer", "list", "--jsonl", "--sort", "name"}).out;
  EXPECT_EQ(read_json(lines.substr(0, lines.find('\n')))["name"], "a.img");
  EXPECT_EQ(std::count(lines.begin(), lines.end(), '\n'), 2);
  const auto wrong = vantro({"--json", "image", "info", "c.img"});
  EXPECT_EQ(wrong.code, 5);
  const auto error = read_json(wrong.err)["error"];
  EXPECT_EQ(error["exit_code"], 5);
  EXPECT_EQ(error["message"], "unknown image 'c.img'; nearest: 'a.img'");
  EXPECT_EQ(error["nearest"], "a.img");
}

TEST_F(Cli, ShowsAndSavesBackups) {
  send("site/x.cfg", "first\n");
  send("site/x.cfg", "second\n");
  const auto list = vantro({"backup", "revisions"});
  EXPECT_TRUE(std::regex_search(
      list.out,
      std::regex(
          "127\\.0\\.0\\.1 +site/x\\.cfg +2 +7 B +\\d{4}-.* +complete, changed\n")))
      << list.out;
  const auto info =
      vantro({"backup", "info", "127.0.0.1", "site/x.cfg", "--revision", "1"});
  EXPECT_EQ(info.out.find("site/x.cfg from 127.0.0.1, revision 1\n"), 0u);
  EXPECT_NE(info.out.find("the device announced 6 bytes"), std::string::npos);

  const auto first = vantro(
      {"backup", "write", "127.0.0.1", "site/x.cfg", "--revision", "1"}, scratch_.path());
  EXPECT_EQ(first.code, 0) << first.err;
  EXPECT_EQ(fakes::read_file(scratch_ / "x.cfg"), "first\n");
  const auto again =
      vantro({"backup", "write", "127.0.0.1", "site/x.cfg"}, scratch_.path());
  EXPECT_EQ(again.code, 7);
  EXPECT_EQ(
      again.err,
      "vantro: x.cfg exists; give another file with --out, or --force to overwrite it\n");
  EXPECT_EQ(
      vantro({"backup", "write", "127.0.0.1", "site/x.cfg", "--force"}, scratch_.path())
          .code,
      0);
  EXPECT_EQ(fakes::read_file(scratch_ / "x.cfg"), "second\n");
  EXPECT_EQ(vantro({"backup", "write", "127.0.0.1", "x.cfg"}).err,
            "vantro: there is no backup 'x.cfg' from 127.0.0.1; nearest: 'site/x.cfg'\n");
  EXPECT_EQ(
      vantro({"backup", "revisions", "router"}).err,
      "vantro: 'router' is neither a known device nor an IP address; 'vantro device "
      "list' shows the devices\n");
}

TEST_F(Cli, SaysWhichServerItTriedAndHowToStartOne) {
  stop();
  const auto none = vantro({"status"});
  EXPECT_EQ(none.code, 3);
  EXPECT_NE(none.err.find("no vantrod answers at " + socket()), std::string::npos)
      << none.err;
  EXPECT_NE(none.err.find("Start it with 'vantrod --state DIR'"), std::string::npos);
}

TEST_F(Cli, SaysWhatToDoWhenTheTokenIsWrong) {
  const auto refused = run({vantro_program(), "--url", socket(), "status"},
                           {{"VANTRO_TOKEN", "0000000000000000"}});
  EXPECT_EQ(refused.code, 4);
  EXPECT_NE(refused.err.find("unknown token;"), std::string::npos) << refused.err;
  const auto accepted = run({vantro_program(), "--url", socket(), "--token-file",
                             state() + "/token", "status"});
  EXPECT_EQ(accepted.code, 0) << accepted.err;
  EXPECT_EQ(run({vantro_program(), "--token-file", scratch_ / "none", "status"}).code, 7);
}

TEST_F(Cli, WatchesTransfersFromTheirBeginningToTheirEnd) {
  // More than the system takes ahead, so that it is on its way for as long as it is read.
  take_in("x.img", fakes::noise(40'000'000));
  Process watch({vantro_program(), "watch"}, client_environment(), scratch_ / "watch.out",
                scratch_ / "watch.err");
  const auto watched = [&] { return fakes::read_file(scratch_ / "watch.out"); };
  Process fetch({"curl", "-sS", "-m", "60", "--limit-rate", "10M", "-o", scratch_ / "got",
                 http_url("/x.img")},
                {}, scratch_ / "fetch.out", scratch_ / "fetch.err");
  ASSERT_TRUE(eventually([&] { return watched().find("x.img: ") != std::string::npos; }));
  EXPECT_EQ(fetch.wait(), 0);
  ASSERT_TRUE(eventually([&] {
    return watched().find("complete, 38.1 MiB in ") != std::string::npos;
  })) << watched();
  watch.signal(SIGINT);
  EXPECT_EQ(watch.wait(), 0);
  EXPECT_EQ(fakes::read_file(scratch_ / "watch.err"), "");
}

TEST_F(Cli, EndsAWatchWhenTheServerGoes) {
  // More than the system takes ahead, so that it is on its way for as long as it is read.
  take_in("x.img", fakes::noise(40'000'000));
  Process watch({vantro_program(), "watch"}, client_environment(), scratch_ / "watch.out",
                scratch_ / "watch.err");
  Process fetch({"curl", "-sS", "-m", "60", "--limit-rate", "1M", "-o", scratch_ / "got",
                 http_url("/x.img")},
                {}, scratch_ / "fetch.out", scratch_ / "fetch.err");
  // It has the stream: it tells what runs.
  ASSERT_TRUE(eventually([&] {
    return fakes::read_file(scratch_ / "watch.out").find("x.img: ") != std::string::npos;
  }));
  stop();
  EXPECT_EQ(watch.wait(), 3);
  EXPECT_NE(
      fakes::read_file(scratch_ / "watch.err").find("the server closed the event stream"),
      std::string::npos)
      << fakes::read_file(scratch_ / "watch.err");
  fetch.signal(SIGKILL);
  fetch.wait();
}

TEST_F(Cli, TheLogTellsOfEachChangeOnceItIsMade) {
  send("x.cfg", "config");
  EXPECT_EQ(vantro({"device", "add", "pump", "--addresses", "192.0.2.7"}).code, 0);
  // What was refused is not a change.
  EXPECT_EQ(vantro({"device", "add", "pump"}).code, 1);
  EXPECT_EQ(vantro({"account", "change", "anonymous", "--may", "fetch"}).code, 0);
  EXPECT_EQ(vantro({"backup", "keep", "127.0.0.1", "x.cfg"}).code, 0);
  const auto log = fakes::read_file(scratch_ / "server.err");
  for (const auto* event : {"device-add", "account-change", "backup-pin"}) {
    const auto first = log.find(event);
    EXPECT_NE(first, std::string::npos) << event << "\n" << log;
    EXPECT_EQ(log.find(event, first + 1), std::string::npos) << event << "\n" << log;
  }
  EXPECT_NE(log.find("by=operator"), std::string::npos) << log;
}

TEST_F(Cli, ChangesCanBeFollowedByTheirNumbers) {
  const auto before = vantro_json({"changes"})["changes"].back()["sequence"].get<int>();
  EXPECT_EQ(vantro({"device", "add", "pump"}).code, 0);
  EXPECT_EQ(vantro({"device", "add", "sluice"}).code, 0);
  const auto all = vantro_json({"changes", "--after", std::to_string(before)})["changes"];
  ASSERT_EQ(all.size(), 2u) << all;
  EXPECT_EQ(all[0]["kind"], "device");
  const auto first = std::to_string(all[0]["sequence"].get<int>());
  const auto later = vantro_json({"changes", "--after", first})["changes"];
  ASSERT_EQ(later.size(), 1u) << later;
  EXPECT_EQ(later[0], all[1]);
  const auto wrong = vantro({"changes", "--after", "x"});
  EXPECT_EQ(wrong.code, 2);
  EXPECT_NE(wrong.err.find("--after: 'x' is not a whole number from 0 up"),
            std::string::npos)
      << wrong.err;
  EXPECT_EQ(vantro({"changes", "--after", "-1"}).code, 2);
  // The help of one command has no examples of others.
  EXPECT_EQ(vantro({"changes", "--help"}).out.find("image add"), std::string::npos);
}

TEST_F(Cli, TheDescriptionOfTheApiIsSoundAndHolds) {
  fakes::write_file(scratch_ / "causeway4-system-7.6.0.img", "bytes");
  ASSERT_EQ(vantro({"image", "add", scratch_ / "causeway4-system-7.6.0.img"}).code, 0);
  send("x.cfg", "config");
  ASSERT_EQ(vantro({"device", "add", "pump", "--addresses", "192.0.2.7", "--site",
                    "north", "--backup-every", "daily"})
                .code,
            0);
  const auto checked = run(
      {"python3", VANTRO_SOURCE_DIR "/tests/end_to_end/openapi_check.py", url(), token()},
      {}, "causeway4-system-7.6.0.img\n");
  EXPECT_EQ(checked.code, 0) << checked.err;
  EXPECT_NE(checked.out.find("answers: sound"), std::string::npos) << checked.out;
}

TEST_F(Cli, TheEventStreamTellsOfChanges) {
  Process events({"curl", "-sS", "-N", "-m", "60", "-H",
                  "Authorization: Bearer " + token(), url() + "/v1/events"},
                 {}, scratch_ / "events", scratch_ / "events.err");
  const auto told = [&] { return fakes::read_file(scratch_ / "events"); };
  // Its first comment: the stream is open.
  ASSERT_TRUE(
      eventually([&] { return told().find(": still here") != std::string::npos; }));
  EXPECT_EQ(vantro({"device", "add", "pump"}).code, 0);
  ASSERT_TRUE(eventually([&] {
    return told().find(R"("by":"operator","kind":"device","object":"1",)") !=
           std::string::npos;
  })) << told();
  EXPECT_NE(told().find("event: change\nid: "), std::string::npos) << told();
  take_in("x.img", "bytes");
  ASSERT_TRUE(eventually([&] {
    return told().find(R"("kind":"offer","object":"x.img")") != std::string::npos;
  })) << told();
  events.signal(SIGKILL);
  events.wait();
}

TEST_F(Cli, ShowsTheLedgerOldestFirst) {
  take_in("x.img", "abc");
  send("x.cfg", "config");
  const auto ledger = vantro({"ledger", "--limit", "2"});
  EXPECT_TRUE(std::regex_search(
      ledger.out,
      std::regex("operator \\(this machine\\) +image-add +manage +x\\.img[^\n]*\n"
                 "[^\n]*127\\.0\\.0\\.1 +deposit +tftp +x\\.cfg")))
      << ledger.out;
  EXPECT_EQ(vantro({"ledger", "--limit", "0"}).code, 2);
}

TEST_F(Cli, HoldsTheApiToHttp) {
  const auto curl = [&](Arguments arguments) {
    arguments.insert(arguments.begin(),
                     {"curl", "-s", "-m", "60", "-o", scratch_ / "body", "-w",
                      "%{http_code} "
                      "%{content_type}",
                      "-H", "Authorization: Bearer " + token()});
    return run(arguments).out;
  };
  EXPECT_EQ(curl({url() + "/v1/alive"}), "200 application/json");
  EXPECT_EQ(curl({url() + "/v1/none"}), "404 application/problem+json");
  EXPECT_EQ(curl({"-X", "POST", url() + "/v1/images/x"}), "400 application/problem+json");
  // Chunked, so of unknown length; and a name that was taken by other bytes.
  fakes::write_file(scratch_ / "body-in", fakes::noise(1'000'000));
  fakes::write_file(scratch_ / "first", "other bytes");
  EXPECT_EQ(curl({"-T", scratch_ / "first", "-H", "Transfer-Encoding: chunked",
                  url() + "/v1/images/x.img"}),
            "201 application/json");
  EXPECT_EQ(curl({"-T", scratch_ / "body-in", url() + "/v1/images/x.img"}),
            "409 application/problem+json");
  // The request is in order, its bytes are not.
  fakes::write_file(scratch_ / "empty", "");
  EXPECT_EQ(curl({"-T", scratch_ / "empty", url() + "/v1/images/empty"}),
            "422 application/problem+json");
  EXPECT_EQ(curl({"-T", scratch_ / "body-in", url() + "/v1/images/y.img?expect=zz"}),
            "400 application/problem+json");
  const auto problem = read_json(fakes::read_file(scratch_ / "body"));
  EXPECT_EQ(problem["kind"], "invalid");
  EXPECT_EQ(problem["detail"], "'zz' is not a checksum: it must be hexadecimal digits");
}

}  // namespace
}  // namespace vantro::end_to_end
