// A headquarters and its mirrors, all real: what a site gets over HTTPS, what it hands
// out, and what it sends up.
#include <array>
#include <cstdio>
#include <filesystem>
#include <gmock/gmock.h>
#include <nlohmann/json.hpp>
#include <signal.h>
#include <sstream>
#include <sys/stat.h>
#include <unistd.h>

#include "tests/end_to_end/cut_relay.h"
#include "tests/end_to_end/node_server.h"
#include "tests/end_to_end/server_fixture.h"
#include "tests/fakes/eventually.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;
using testing::Not;

class MirrorsOfAServer : public testing::Test {
 protected:
  void SetUp() override {
    begin_headquarters("127.0.0.1:0");
    const Arguments person{"person", "add", "heron", "--role", "mirror", "--no-token"};
    ASSERT_EQ(hq_.vantro(person).code, 0);
    const auto token = json(hq_, {"token", "add", "site", "--by", "heron"});
    fakes::write_file(scratch_ / "token", token["text"].get<std::string>() + "\n");
    ::chmod((scratch_ / "token").c_str(), 0600);
  }

  void begin_headquarters(const std::string& tls) {
    hq_.begin("", {"--management-tls-listen", tls});
    ASSERT_TRUE(hq_.ready()) << hq_.err();
  }
  std::string said(const std::string& words) const {
    const auto text = hq_.out();
    const auto from = text.find(words) + words.size();
    auto word = text.substr(from, text.find_first_of(" ;\n", from) - from);
    if (word.ends_with('.')) word.pop_back();
    return word;
  }
  int tls_port() const {
    const auto address = said("Management listens on https://");
    return std::stoi(address.substr(address.rfind(':') + 1));
  }
  // `port`: of headquarters, or of something before it.
  void begin_mirror(NodeServer& mirror, int port, const std::string& more = "") {
    const auto config = scratch_ / (mirror.name() + ".toml");
    fakes::write_file(config,
                      "[mirror]\nof = \"https://127.0.0.1:" + std::to_string(port) +
                          "\"\ntoken_file = \"" + (scratch_ / "token") +
                          "\"\nfingerprint = \"" + said("; SHA-256 ") + "\"\n" + more);
    mirror.begin("", {"--config", config});
    ASSERT_TRUE(mirror.ready()) << mirror.err();
  }
  NodeServer mirror(const std::string& name = "heron") {
    return {name, scratch_ / ("state of " + name), scratch_.path()};
  }
  void add(const std::string& name, const std::string& bytes, Arguments more = {}) {
    fakes::write_file(scratch_ / name, bytes);
    more.insert(more.begin(), {"image", "add", scratch_ / name, "--name", name});
    const auto added = hq_.vantro(more);
    ASSERT_EQ(added.code, 0) << added.err;
  }
  static nlohmann::json json(const NodeServer& at, Arguments arguments) {
    arguments.insert(arguments.begin(), "--json");
    const auto output = at.vantro(arguments);
    EXPECT_EQ(output.code, 0) << output.err;
    return read_json(output.out);
  }
  static std::string fetched(const NodeServer& at, const std::string& name) {
    return run({"curl", "-s", "-m", "60", at.http_url("/" + name)}).out;
  }
  static bool gets(const NodeServer& at, const std::string& name,
                   const std::string& bytes) {
    return fakes::eventually([&] {
      EXPECT_EQ(at.vantro({"mirror", "sync"}).code, 0);
      return fetched(at, name) == bytes;
    });
  }

  fakes::ScratchFolder scratch_;
  NodeServer hq_{"hq", scratch_ / "state of hq", scratch_.path()};
};

TEST_F(MirrorsOfAServer, GetImagesHandThemOutAndSendUpWhatHappened) {
  const auto bytes = fakes::noise(3'000'000);
  add("weir-7.img", bytes, {"--platform", "weir"});
  auto heron = mirror();
  begin_mirror(heron, tls_port());
  EXPECT_TRUE(gets(heron, "weir-7.img", bytes)) << heron.err();
  EXPECT_EQ(run({"curl", "-s", "-m", "60", heron.tftp_url("weir-7.img")}).out, bytes);
  // A backup, twice the same, and one that is not text.
  fakes::write_file(scratch_ / "heron.cfg", "hostname heron-rtr\n");
  fakes::write_file(scratch_ / "core.bin", fakes::noise(700'000, 5));
  fakes::write_file(scratch_ / "empty.bin", "");
  for (const auto* one : {"heron.cfg", "heron.cfg", "empty.bin", "core.bin"}) {
    EXPECT_EQ(
        run({"curl", "-s", "-m", "60", "-T", scratch_ / one, heron.tftp_url(one)}).code,
        0);
  }
  EXPECT_TRUE(fakes::eventually([&] {
    heron.vantro({"mirror", "sync"});
    return json(hq_, {"backup", "list"})["files"].size() == 3 &&
           json(heron, {"mirror", "show"})["rows_waiting"] == 0;
  })) << json(heron, {"mirror", "show"});
  const auto written = hq_.vantro(
      {"backup", "write", "127.0.0.1", "core.bin", "--out", scratch_ / "up.bin"});
  EXPECT_EQ(written.code, 0) << written.err;
  EXPECT_TRUE(
      fakes::same_bytes(fakes::read_file(scratch_ / "up.bin"), fakes::noise(700'000, 5)));
  // Each row once, and marked.
  EXPECT_EQ(
      json(hq_, {"ledger", "--event", "deposit", "--mirror", "heron"})["entries"].size(),
      4U);
  const auto fetches = json(hq_, {"ledger", "--event", "fetch", "--mirror", "heron",
                                  "--outcome", "complete"})["entries"];
  EXPECT_GE(fetches.size(), 2U);
  EXPECT_EQ(hq_.vantro({"ledger", "verify"}).code, 0);
  EXPECT_TRUE(fakes::eventually([&] {
    heron.vantro({"mirror", "sync"});
    return json(hq_, {"mirror", "show", "heron"})["state"] == "current";
  }));
  const auto list = hq_.vantro({"mirror", "list"});
  EXPECT_THAT(list.out, HasSubstr("heron"));
  EXPECT_THAT(list.out, HasSubstr("everything on offer"));
  // Changes are headquarters'.
  const auto refused = heron.vantro({"image", "withdraw", "weir-7.img", "--reason", "x"});
  EXPECT_NE(refused.code, 0);
  EXPECT_THAT(refused.err, HasSubstr("this server is a mirror; change that at https://"));
  const auto not_added = heron.vantro({"image", "add", scratch_ / "core.bin"});
  EXPECT_THAT(not_added.err, HasSubstr("this server is a mirror"));
  EXPECT_EQ(heron.stop(), 0) << heron.err();
  EXPECT_EQ(hq_.stop(), 0) << hq_.err();
}

TEST_F(MirrorsOfAServer, ServeWhileHeadquartersIsAwayAndSayHowOldTheirNamesAre) {
  const auto bytes = fakes::noise(200'000);
  add("weir-7.img", bytes);
  auto heron = mirror();
  const auto port = tls_port();
  begin_mirror(heron, port);
  ASSERT_TRUE(gets(heron, "weir-7.img", bytes));
  hq_.kill();
  heron.vantro({"mirror", "sync"});
  EXPECT_EQ(fetched(heron, "weir-7.img"), bytes);
  EXPECT_TRUE(fakes::eventually([&] {
    return !json(heron, {"mirror", "show"})["unreachable"].get<std::string>().empty();
  }));
  // Also after it was started again without headquarters.
  EXPECT_EQ(heron.stop(), 0);
  begin_mirror(heron, port);
  EXPECT_EQ(fetched(heron, "weir-7.img"), bytes);
  begin_headquarters("127.0.0.1:" + std::to_string(port));
  ASSERT_EQ(
      hq_.vantro({"image", "withdraw", "weir-7.img", "--reason", "loses routes"}).code,
      0);
  EXPECT_TRUE(fakes::eventually([&] {
    heron.vantro({"mirror", "sync"});
    return fetched(heron, "weir-7.img").find("was withdrawn: loses routes") !=
           std::string::npos;
  })) << fetched(heron, "weir-7.img");
}

TEST_F(MirrorsOfAServer, ABackupWhoseBytesAreGoneDoesNotHoldUpTheLedger) {
  auto heron = mirror();
  const auto port = tls_port();
  begin_mirror(heron, port);
  ASSERT_TRUE(fakes::eventually([&] {
    return json(heron, {"mirror", "show"})["rows_waiting"] == 0;
  }));
  hq_.kill();
  fakes::write_file(scratch_ / "core.bin", fakes::noise(300'000, 5));
  EXPECT_EQ(run({"curl", "-s", "-m", "60", "-T", scratch_ / "core.bin",
                 heron.tftp_url("core.bin")})
                .code,
            0);
  EXPECT_EQ(heron.stop(), 0);
  for (const auto& one : std::filesystem::recursive_directory_iterator(
           scratch_ / "state of heron" + "/vault")) {
    if (one.is_regular_file() && one.file_size() == 300'000) {
      std::filesystem::remove(one.path());
    }
  }
  begin_headquarters("127.0.0.1:" + std::to_string(port));
  begin_mirror(heron, port);
  EXPECT_TRUE(fakes::eventually([&] {
    heron.vantro({"mirror", "sync"});
    return json(heron, {"mirror", "show"})["rows_waiting"] == 0;
  })) << json(heron, {"mirror", "show"});
  const auto rows =
      json(hq_, {"ledger", "--event", "deposit", "--mirror", "heron"})["entries"];
  ASSERT_EQ(rows.size(), 1U);
  EXPECT_THAT(rows[0]["sentence"].get<std::string>(),
              HasSubstr("its bytes were gone at the mirror before they were sent"));
}

TEST_F(MirrorsOfAServer, GoOnWhereTheLinkBrokeAndWhereTheyWereKilled) {
  const auto bytes = fakes::noise(30'000'000);
  add("weir-7.img", bytes);
  CutRelay link(tls_port());
  auto heron = mirror();
  begin_mirror(heron, link.port(), "rate = \"4 MiB\"\n");
  const auto have = [&] {
    const auto lacking = json(heron, {"mirror", "show"})["lacking"];
    return lacking.empty() ? std::uint64_t{0} : lacking[0]["have"].get<std::uint64_t>();
  };
  ASSERT_TRUE(fakes::eventually([&] { return have() > 500'000; }));
  const auto refusal = fetched(heron, "weir-7.img");
  EXPECT_THAT(refusal, HasSubstr("'weir-7.img' is still on its way here: "));
  EXPECT_THAT(refusal, HasSubstr(" of 28.6 MiB"));
  EXPECT_THAT(fetched(heron, "wier-7.img"), HasSubstr("nearest: 'weir-7.img'"));
  link.hold(true);
  heron.kill();
  link.hold(false);
  begin_mirror(heron, link.port(), "rate = \"4 MiB\"\n");
  EXPECT_TRUE(gets(heron, "weir-7.img", bytes)) << heron.err();
  EXPECT_EQ(heron.stop(), 0) << heron.err();
}

TEST_F(MirrorsOfAServer, AWrongTokenOrCertificateIsSaidAndNothingIsSent) {
  fakes::write_file(scratch_ / "token", "not-a-token\n");
  auto heron = mirror();
  begin_mirror(heron, tls_port());
  const auto unreachable = [&](const std::string& words) {
    return fakes::eventually([&] {
      return json(heron, {"mirror", "show"})["unreachable"].get<std::string>().find(
                 words) != std::string::npos;
    });
  };
  EXPECT_TRUE(unreachable("token")) << json(heron, {"mirror", "show"});
  EXPECT_EQ(heron.stop(), 0);
  auto other = mirror("sedge");
  const auto config = scratch_ / "sedge.toml";
  begin_mirror(other, tls_port());
  EXPECT_EQ(other.stop(), 0);
  auto text = fakes::read_file(config);
  const auto at = text.find("fingerprint = \"") + 15;
  text[at] = text[at] == '0' ? '1' : '0';
  fakes::write_file(config, text);
  other.begin("", {"--config", config});
  ASSERT_TRUE(other.ready()) << other.err();
  EXPECT_TRUE(fakes::eventually([&] {
    return json(other, {"mirror", "show"})["unreachable"].get<std::string>().find(
               "certificate is another one") != std::string::npos;
  })) << json(other, {"mirror", "show"});
}

TEST_F(MirrorsOfAServer, ATokenOfAMirrorOpensNothingElse) {
  auto token = fakes::read_file(scratch_ / "token");
  token.pop_back();
  const auto call = [&](const std::string& path) {
    return run({"curl", "-s", "-o", "/dev/null", "-w", "%{http_code}", "-H",
                "Authorization: Bearer " + token, hq_.management_url(path)})
        .out;
  };
  EXPECT_EQ(call("/v1/images"), "403");
  EXPECT_EQ(call("/v1/ledger"), "403");
  EXPECT_EQ(call("/v1/mirrors"), "403");
  EXPECT_EQ(call("/v1/mirror/chunks/" + std::string(64, '0')), "404");
  // And people do not ask as mirrors.
  const auto asked = run({"curl", "-s", "--unix-socket", scratch_ / "hq.sock",
                          "http://localhost/v1/mirror/chunks/" + std::string(64, '0')});
  EXPECT_THAT(asked.out, HasSubstr("this needs 'mirror'"));
}

// Three of them behind links of 2, 8 and 30 Mbit/s.
TEST(MirrorLinks, CarryLittleMoreThanTheImagesAndWithdrawalsFirst) {
  const Arguments traffic_control{"unshare", "--net", "sh", "-c",
                                  "ip link set lo up && tc qdisc add dev lo root tbf "
                                  "rate 1mbit burst 16kb latency 9ms"};
  if (::geteuid() != 0 || run(traffic_control).code != 0) {
    GTEST_SKIP() << "it needs root, network namespaces and tc with tbf";
  }
  const fakes::ScratchFolder work;
  const auto told = run({"unshare", "--net", "--mount",
                         VANTRO_SOURCE_DIR "/tests/end_to_end/mirror_links.sh",
                         vantrod_program(), vantro_program(), work.path()});
  ASSERT_EQ(told.code, 0) << told.out << told.err;
  std::istringstream lines(told.out);
  int links = 0;
  for (std::string line; std::getline(lines, line);) {
    std::uint64_t carried = 0, least = 0, milliseconds = 0;
    std::array<char, 20> name{};
    if (std::sscanf(line.c_str(), "%19[a-z]: the link carried %lu bytes for %lu",
                    name.data(), &carried, &least) == 3) {
      ++links;
      // Frames, TLS, records and questions.
      EXPECT_GT(carried, least) << line;
      EXPECT_LT(carried, least + least / 4) << line;
    } else if (std::sscanf(line.c_str(), "withdrawn after %lu ms", &milliseconds) == 1) {
      EXPECT_LT(milliseconds, 40'000U) << line;
    }
  }
  EXPECT_EQ(links, 3) << told.out;
  EXPECT_THAT(told.out, HasSubstr("withdrawn after"));
  EXPECT_THAT(told.out, HasSubstr("the large one was still on its way"));
}

}  // namespace
}  // namespace vantro::end_to_end
