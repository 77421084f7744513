// HTTP byte by byte: connections that are kept, rubbish, slowness, shortage.
#include <gmock/gmock.h>
#include <netinet/tcp.h>

#include "tests/end_to_end/server_fixture.h"
#include "tests/end_to_end/tcp_peer.h"

namespace vantro::end_to_end {
namespace {

using testing::AllOf;
using testing::HasSubstr;
using testing::StartsWith;

class HttpWire : public ServerFixture {
 protected:
  void SetUp() override {
    start_with("");
    take_in("x.img", "the image");
  }
  void start_with(const std::string& settings, const Arguments& before = {}) {
    fakes::write_file(scratch_ / "vantro.toml", settings);
    start({"--config", scratch_ / "vantro.toml"}, before);
  }
  TcpPeer peer(int receive_buffer = 0) { return TcpPeer(http_port_, receive_buffer); }
  // Answered to these bytes until the server closes; the client sends no more.
  std::string said_to(const std::string& bytes) {
    auto one = peer();
    one.send(bytes);
    one.end_sending();
    return one.rest();
  }
  static std::string get(const std::string& path, const std::string& more = "") {
    return "GET " + path + " HTTP/1.1\r\nHost: a\r\n" + more + "\r\n";
  }
  bool alive() {
    return said_to(get("/x.img", "Connection: close\r\n")).ends_with("\r\n\r\nthe image");
  }
};

TEST_F(HttpWire, AnswersTenThousandRequestsInOneConnection) {
  auto one = peer();
  for (int i = 0; i < 10'000; ++i) {
    ASSERT_TRUE(one.send(get("/x.img")));
    const auto answer = one.answer();
    ASSERT_THAT(answer, StartsWith("HTTP/1.1 200 OK")) << i;
    ASSERT_TRUE(answer.ends_with("\r\n\r\nthe image")) << i;
  }
}

// It sends no more, and takes what it asked for all the same.
TEST_F(HttpWire, AClientThatHasSaidAllGetsAllAndIsRecordedSo) {
  const auto image = fakes::noise(8'000'000, 3);
  take_in("large.img", image);
  for (const auto* kept : {"", "Connection: close\r\n"}) {
    auto one = peer(64 * 1024);
    ASSERT_TRUE(one.send(get("/large.img", kept)));
    one.end_sending();
    std::string all;
    while (all.find("\r\n\r\n") == std::string::npos ||
           all.size() - all.find("\r\n\r\n") - 4 < image.size()) {
      const auto some = one.receive();
      ASSERT_FALSE(some.empty()) << all.size();
      all += some;
    }
    EXPECT_TRUE(all.ends_with(image));
    EXPECT_EQ(row("fetch", "complete")["name"], "large.img");
  }
  ASSERT_TRUE(eventually([&] {
    const auto rows = ledger();
    return std::count_if(rows.begin(), rows.end(), [](const auto& one) {
             return one["event"] == "fetch" && one["name"] == "large.img" &&
                    one["outcome"] == "complete";
           }) == 2;
  })) << vantro({"ledger"}).out
      << vantro({"transfer", "list"}).out;
  for (const auto& one : ledger()) EXPECT_NE(one["outcome"], "abandoned") << one;
}

TEST_F(HttpWire, AnswersPipelinedRequestsInTheirOrder) {
  auto one = peer();
  std::string all;
  for (int i = 0; i < 200; ++i)
    all += get(i % 2 == 0 ? "/x.img" : "/none-" + std::to_string(i));
  // An upload between them.
  all +=
      "PUT /a.cfg HTTP/1.1\r\nHost: a\r\nContent-Length: 6\r\n\r\nconfig" + get("/x.img");
  ASSERT_TRUE(one.send(all));
  for (int i = 0; i < 200; ++i) {
    EXPECT_THAT(one.answer(), i % 2 == 0 ? HasSubstr("the image")
                                         : HasSubstr("'none-" + std::to_string(i) + "'"));
  }
  EXPECT_THAT(one.answer(), StartsWith("HTTP/1.1 201 Created"));
  EXPECT_THAT(one.answer(), HasSubstr("the image"));
}

TEST_F(HttpWire, TakesARequestInSingleBytes) {
  auto one = peer();
  for (const char c : "\r\n" + get("/x.img")) ASSERT_TRUE(one.send({&c, 1}));
  EXPECT_THAT(one.answer(), HasSubstr("the image"));
}

TEST_F(HttpWire, NeverReadsOutsideTheTree) {
  for (const auto* path : {"/../vantro.db",
                           "/%2e%2e/vantro.db",
                           "/..%2fvantro.db",
                           "/%2e%2e%2fvantro.db",
                           "/a/../../vantro.db",
                           "/..\\vantro.db",
                           "/%5c..%5cvantro.db",
                           "//../vantro.db",
                           "/./../vantro.db",
                           "/..;/vantro.db",
                           "/%c0%ae%c0%ae/vantro.db",
                           "/%252e%252e/vantro.db",
                           "/x.img%00.txt",
                           "/x.img/../../vantro.db",
                           "/%u002e%u002e/vantro.db",
                           "../vantro.db",
                           "/etc/passwd",
                           "//etc/passwd",
                           "/proc/self/environ",
                           "file:///etc/passwd"}) {
    const auto answer = said_to(get(path, "Connection: close\r\n"));
    EXPECT_THAT(answer.substr(0, 13),
                testing::AnyOf(StartsWith("HTTP/1.1 404"), StartsWith("HTTP/1.1 400")))
        << path << "\n"
        << answer;
  }
  EXPECT_TRUE(alive());
}

TEST_F(HttpWire, RefusesRubbishAndGoesOn) {
  EXPECT_THAT(said_to("rubbish\r\n\r\n"), StartsWith("HTTP/1.1 400 Bad Request"));
  EXPECT_THAT(said_to(std::string("\x16\x03\x01\x02\x00\x01\x00\x01\xfc\x03\x03", 11) +
                      "\r\n\r\n"),
              StartsWith("HTTP/1.1 400"));
  EXPECT_THAT(said_to("GET / HTTP/1.1\r\n\r\n"), HasSubstr("the Host field is missing"));
  EXPECT_THAT(said_to("GET / HTTP/3.0\r\nHost: a\r\n\r\n"), StartsWith("HTTP/1.1 505"));
  EXPECT_THAT(said_to("BREW / HTTP/1.1\r\nHost: a\r\n\r\n"), StartsWith("HTTP/1.1 501"));
  EXPECT_THAT(said_to(get("/" + std::string(9000, 'x'))), StartsWith("HTTP/1.1 414"));
  EXPECT_THAT(said_to(get("/" + std::string(300, 'x'))),
              HasSubstr("has 300 bytes, limit 255"));
  // Heads without an end, and of too many fields.
  EXPECT_THAT(said_to(std::string(20'000, 'G')), StartsWith("HTTP/1.1 431"));
  std::string fields;
  for (int i = 0; i < 2000; ++i) fields += "X-" + std::to_string(i) + ": y\r\n";
  EXPECT_THAT(said_to(get("/x.img", fields)), StartsWith("HTTP/1.1 431"));
  EXPECT_TRUE(alive());
  EXPECT_THAT(vantro({"contact", "127.0.0.1"}).out, HasSubstr("failed since "));
}

// Typed by hand, written line by line, cut by the network: every split of head and body.
TEST_F(HttpWire, TakesARequestInAnySegments) {
  take_in("x.img", "the image");
  const auto cut = [&](const std::string& bytes, std::size_t at) {
    TcpPeer peer(http_port_);
    const int on = 1;
    ::setsockopt(peer.fd(), IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
    peer.send(bytes.substr(0, at));
    // Else both parts could be read at once.
    ::usleep(2000);
    peer.send(bytes.substr(at));
    return peer.rest();
  };
  const auto request = get("/x.img", "Connection: close\r\nX-More: y\r\n");
  for (std::size_t at = 1; at < request.size(); ++at) {
    const auto answer = cut(request, at);
    EXPECT_THAT(answer, StartsWith("HTTP/1.1 200")) << at;
    EXPECT_THAT(answer, testing::EndsWith("\r\n\r\nthe image")) << at;
  }
  const std::string upload =
      "PUT /a.cfg HTTP/1.1\r\nHost: a\r\nConnection: close\r\nTransfer-Encoding: "
      "chunked\r\n\r\n6;x=y\r\nhello \r\n5\r\nworld\r\n0\r\nX-Trailer: z\r\n\r\n";
  for (std::size_t at = 1; at < upload.size(); ++at) {
    EXPECT_THAT(cut(upload, at), StartsWith("HTTP/1.1 201")) << at;
  }
  EXPECT_EQ(saved("127.0.0.1", "a.cfg"), "hello world");
}

TEST_F(HttpWire, ComparesADigestThatComesBehindTheBody) {
  const auto put = [&](const std::string& name, const std::string& trailer) {
    return said_to("PUT /" + name +
                   " HTTP/1.1\r\nHost: a\r\nConnection: close\r\nTrailer: "
                   "Repr-Digest\r\nTransfer-Encoding: "
                   "chunked\r\n\r\n5\r\nhello\r\n0\r\n" +
                   trailer + "\r\n");
  };
  EXPECT_THAT(
      put("a.cfg",
          "Repr-Digest: sha-256=:LPJNul+wow4m6DsqxbninhsWHlwfp0JecwQzYpOLmCQ=:\r\n"),
      StartsWith("HTTP/1.1 201"));
  const auto refused = put(
      "b.cfg", "Repr-Digest: sha-256=:47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU=:\r\n");
  EXPECT_THAT(refused, StartsWith("HTTP/1.1 422"));
  EXPECT_THAT(refused, HasSubstr("SHA-256"));
  EXPECT_THAT(put("c.cfg", "Repr-Digest: sha-256=nonsense\r\n"),
              StartsWith("HTTP/1.1 400"));
  // With a digest that can't be parsed the bytes are kept as partial; with one that
  // differs they are not kept.
  const auto all = backups(2);
  EXPECT_EQ(all[0]["name"], "a.cfg");
  EXPECT_EQ(all[1]["name"], "c.cfg");
  EXPECT_EQ(all[1]["complete"], false);
}

// What hides a second request in the first must not be answered twice.
TEST_F(HttpWire, TakesNothingThatAnotherSitesPageSends) {
  const auto post = [&](const std::string& more) {
    return said_to("POST /site.cfg HTTP/1.1\r\nHost: vantro\r\nContent-Length: 1\r\n" +
                   more + "\r\nx");
  };
  for (const auto* from :
       {"Sec-Fetch-Site: cross-site\r\n", "Sec-Fetch-Site: same-site\r\n",
        "Origin: http://elsewhere.example\r\n", "Origin: null\r\n"}) {
    const auto answer = post(from);
    EXPECT_THAT(answer, AllOf(StartsWith("HTTP/1.1 403"),
                              HasSubstr("cross-site upload refused: ")))
        << from;
  }
  EXPECT_THAT(row("deposit", "refused")["sentence"].get<std::string>(),
              StartsWith("cross-site upload refused: "));
  EXPECT_THAT(post("Origin: http://vantro\r\nSec-Fetch-Site: same-origin\r\n"),
              StartsWith("HTTP/1.1 201"));
  EXPECT_THAT(post(""), StartsWith("HTTP/1.1 20"));
}

TEST_F(HttpWire, IsNotFooledBySmuggledRequests) {
  const std::string hidden = get("/x.img");
  const auto answers = [&](const std::string& bytes) {
    const auto said = said_to(bytes);
    std::size_t count = 0;
    for (auto at = said.find("HTTP/1.1 "); at != std::string::npos;
         at = said.find("HTTP/1.1 ", at + 1))
      ++count;
    return std::to_string(count) + " " + said.substr(9, 3);
  };
  EXPECT_EQ(answers("PUT /a HTTP/1.1\r\nHost: a\r\nContent-Length: "
                    "0\r\nTransfer-Encoding: chunked\r\n\r\n" +
                    hidden),
            "1 400");
  EXPECT_EQ(
      answers(
          "PUT /a HTTP/1.1\r\nHost: a\r\nContent-Length: 5\r\nContent-Length: 0\r\n\r\n" +
          hidden),
      "1 400");
  EXPECT_EQ(answers("PUT /a HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: xchunked\r\n\r\n" +
                    hidden),
            "1 501");
  // A body where none belongs ends the connection.
  EXPECT_EQ(
      answers("GET /none HTTP/1.1\r\nHost: a\r\nContent-Length: 5\r\n\r\n" + hidden),
      "1 404");
  EXPECT_EQ(
      answers(
          "GET /none HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n" +
          hidden),
      "1 404");
  // The body of a refused upload is not taken for a request either.
  EXPECT_EQ(answers("PUT /a/ HTTP/1.1\r\nHost: a\r\nContent-Length: 3\r\n\r\n" + hidden),
            "1 400");
}

TEST_F(HttpWire, ChunksWithoutAnEndAreCut) {
  const std::string head =
      "PUT /a HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: chunked\r\n\r\n";
  EXPECT_THAT(said_to(head + "5;" + std::string(40'000, 'x')),
              StartsWith("HTTP/1.1 400"));
  EXPECT_THAT(said_to(head + "5\r\nhelloXX\r\n"), StartsWith("HTTP/1.1 400"));
  EXPECT_THAT(said_to(head + "0\r\nX: " + std::string(40'000, 'x')),
              StartsWith("HTTP/1.1 400"));
  backups(1);  // "hello", partial
  EXPECT_TRUE(alive());
}

TEST_F(HttpWire, GivesUpOnTheSlow) {
  stop();
  start_with("[http]\nhead_s = 1\nidle_s = 1\nstalled_s = 1\n");
  auto idle = peer();
  auto slow = peer();
  slow.send("GET /x.img HT");
  auto stalled = peer();
  stalled.send("PUT /a.cfg HTTP/1.1\r\nHost: a\r\nContent-Length: 100\r\n\r\nhalf");
  EXPECT_THAT(slow.rest(), StartsWith("HTTP/1.1 408"));
  EXPECT_EQ(idle.rest(), "");
  EXPECT_THAT(stalled.rest(), HasSubstr("nothing more came after 4 bytes"));
  const auto broken = backups(1);
  ASSERT_EQ(broken.size(), 1u);
  EXPECT_EQ(broken[0]["complete"], false);
  EXPECT_EQ(broken[0]["size"], 4);
}

// A reader that takes little but something is waited for; one that takes nothing is not.
TEST_F(HttpWire, TellsASlowReaderFromADeadOne) {
  stop();
  start_with("[http]\nstalled_s = 2\n");
  take_in("large.img", fakes::noise(20'000'000, 5));
  auto dead = peer(4096);
  auto slow = peer(4096);
  dead.send(get("/large.img"));
  slow.send(get("/large.img"));
  std::size_t came = 0;
  const auto ended = [&] {
    for (const auto& one : ledger()) {
      if (one["outcome"] == "abandoned") return true;
    }
    return false;
  };
  bool seen = false;
  // A slow reader, until the dead one is cut.
  for (int i = 0; i < 300 && !seen; ++i) {
    came += slow.receive().size();
    ::usleep(100'000);
    seen = ended();
  }
  EXPECT_TRUE(seen);
  EXPECT_EQ(vantro_json({"transfer", "list"})["transfers"][0]["state"], "running");
  for (auto some = slow.receive(); !some.empty() && came < 20'000'000;
       some = slow.receive())
    came += some.size();
  EXPECT_GT(came, 20'000'000u);
}

TEST_F(HttpWire, PausesWhenOutOfDescriptorsAndGoesOn) {
  stop();
  start_with("", {"prlimit", "--nofile=64:64"});
  std::vector<TcpPeer> peers;
  for (int i = 0; i < 100; ++i) peers.emplace_back(http_port_);
  ASSERT_TRUE(eventually([&] {
    return fakes::read_file(scratch_ / "server.err").find("no more connections") !=
           std::string::npos;
  }));
  // Several more tries fail meanwhile (after 100 ms, 200 ms ...). The test
  // is that the log stays silent, so it waits for a fixed time.
  ::usleep(1'500'000);
  peers.clear();
  EXPECT_TRUE(eventually([&] { return alive(); }));
  ASSERT_TRUE(eventually([&] {
    return fakes::read_file(scratch_ / "server.err").find("accepted again") !=
           std::string::npos;
  }));
  const auto log = fakes::read_file(scratch_ / "server.err");
  const std::string line = "no more connections can be accepted for now";
  EXPECT_EQ(log.find(line), log.rfind(line)) << log;
}

TEST_F(HttpWire, HasALimitOnConnectionsOfOneAddress) {
  stop();
  start_with("[limits]\nconnections_per_device = 5\n");
  std::vector<TcpPeer> peers;
  for (int i = 0; i < 5; ++i) peers.emplace_back(http_port_);
  EXPECT_TRUE(eventually(
      [&] { return said_to("").find("too many connections") != std::string::npos; }));
  const auto fronts = vantro_json({"status"})["fronts"];
  const auto http = std::find_if(fronts.begin(), fronts.end(),
                                 [](const auto& one) { return one["name"] == "HTTP"; });
  ASSERT_NE(http, fronts.end());
  EXPECT_EQ((*http)["open"], 5);
  EXPECT_GE((*http)["turned_away"], 1);
  EXPECT_EQ((*http)["paused"], false);
  EXPECT_THAT(vantro({"status"}).out,
              AllOf(HasSubstr("HTTP 5 of 4000"), HasSubstr("HTTP: turned away ")));
  peers.clear();
  EXPECT_TRUE(eventually([&] { return alive(); }));
}

// The limit is one for all protocols together.
TEST_F(HttpWire, HasALimitOnConnectionsInAll) {
  stop();
  start_with("[limits]\nconnections = 6\n");
  std::vector<TcpPeer> peers;
  for (int i = 0; i < 3; ++i) {
    peers.emplace_back(http_port_);
    peers.emplace_back(ftp_port_);
    EXPECT_FALSE(peers.back().receive().empty());
  }
  EXPECT_TRUE(eventually(
      [&] { return said_to("").find("too many connections") != std::string::npos; }));
  EXPECT_NE(TcpPeer(ftp_port_).rest().substr(0, 4), "220 ");
  peers.clear();
  EXPECT_TRUE(eventually([&] { return alive(); }));
}

TEST_F(HttpWire, LetsRunningTransfersEndWhenItIsStopped) {
  take_in("large.img", fakes::noise(8'000'000, 5));
  auto idle = peer();
  auto fetching = peer(4096);
  fetching.send(get("/large.img"));
  auto came = fetching.receive().size();
  server_->signal(SIGTERM);
  EXPECT_EQ(idle.rest(), "");
  came += fetching.rest().size();
  EXPECT_GT(came, 8'000'000u);
  EXPECT_EQ(server_->wait(), 0);
}

}  // namespace
}  // namespace vantro::end_to_end
