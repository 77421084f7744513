// HTTP with clients that are not ours: what they fetch, send and make of refusals.
#include <gmock/gmock.h>
#include <random>
#include <signal.h>

#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;
using testing::Not;

class HttpClients : public ServerFixture {
 protected:
  void SetUp() override {
    ServerFixture::SetUp();
    take_in("north/pump 7.img", image_);
  }
  Output curl(Arguments arguments) {
    arguments.insert(arguments.begin(), {"curl", "-sS", "-m", "60"});
    return run(arguments);
  }
  std::string image_url() const { return http_url("/north/pump%207.img"); }

  const std::string image_ = fakes::noise(3'000'017, 7);
};

TEST_F(HttpClients, AllFetchTheSameBytes) {
  ASSERT_EQ(curl({"-o", scratch_ / "curl", image_url()}).code, 0);
  EXPECT_EQ(file("curl"), image_);
  ASSERT_EQ(run({"wget", "-q", "-O", scratch_ / "wget", image_url()}).code, 0);
  EXPECT_EQ(file("wget"), image_);
  ASSERT_EQ(run({"busybox", "wget", "-q", "-O", scratch_ / "busybox", image_url()}).code,
            0);
  EXPECT_EQ(file("busybox"), image_);
  ASSERT_EQ(curl({"-0", "-o", scratch_ / "old", image_url()}).code, 0);
  EXPECT_EQ(file("old"), image_);
  const auto fetch = row("fetch", "complete");
  EXPECT_EQ(fetch["protocol"], "http");
  EXPECT_EQ(fetch["actor"], "127.0.0.1");
  EXPECT_THAT(fetch["heard_on"], HasSubstr(" on lo"));
}

// It writes its request line by line, so the head comes in several segments.
TEST_F(HttpClients, TnftpFetchesEachTime) {
  for (int i = 0; i < 20; ++i) {
    const auto fetched = run({"tnftp", "-V", "-o", scratch_ / "tnftp", image_url()});
    ASSERT_EQ(fetched.code, 0) << i << fetched.out << fetched.err;
    ASSERT_EQ(file("tnftp"), image_);
  }
}

TEST_F(HttpClients, FetchInSeveralConnectionsAtOnce) {
  const auto fetched =
      run({"aria2c", "-q", "--no-conf", "-x", "8", "-s", "8", "-k", "1M",
           "--checksum=sha-256=" +
               vantro_json(
                   {"image", "info", "north/pump 7.img"})["image"]["digests"]["sha256"]
                   .get<std::string>(),
           "-d", scratch_.path(), "-o", "aria", image_url()});
  ASSERT_EQ(fetched.code, 0) << fetched.out << fetched.err;
  EXPECT_EQ(file("aria"), image_);
}

TEST_F(HttpClients, GoOnWhereTheyWereCut) {
  fakes::write_file(scratch_ / "curl", image_.substr(0, 1'000'000));
  ASSERT_EQ(curl({"-C", "-", "-o", scratch_ / "curl", image_url()}).code, 0);
  EXPECT_EQ(file("curl"), image_);
  EXPECT_EQ(row("fetch", "complete")["sentence"], "bytes 1000000-3000016 of 3000017");
  fakes::write_file(scratch_ / "wget", image_.substr(0, 2'999'999));
  ASSERT_EQ(run({"wget", "-q", "-c", "-O", scratch_ / "wget", image_url()}).code, 0);
  EXPECT_EQ(file("wget"), image_);
  // Whole already: 416, which they take for done.
  ASSERT_EQ(run({"wget", "-q", "-c", "-O", scratch_ / "wget", image_url()}).code, 0);
  EXPECT_EQ(file("wget"), image_);
}

TEST_F(HttpClients, AreToldWhatHasNotChanged) {
  const auto head = curl({"-I", image_url()}).out;
  EXPECT_THAT(head, HasSubstr("HTTP/1.1 200 OK"));
  EXPECT_THAT(head, HasSubstr("Content-Length: 3000017"));
  EXPECT_THAT(head, HasSubstr("Accept-Ranges: bytes"));
  EXPECT_THAT(head, HasSubstr("filename=\"pump 7.img\""));
  EXPECT_THAT(head, HasSubstr("Repr-Digest: sha-256=:"));
  const auto at = head.find("ETag: ") + 6;
  const auto etag = head.substr(at, head.find("\r\n", at) - at);
  EXPECT_EQ(etag.size(), 66u);
  const auto status = [&](Arguments more) {
    more.insert(more.end(),
                {"-o", "/dev/null", "-w", "%{http_code} %{size_download}", image_url()});
    return curl(more).out;
  };
  EXPECT_EQ(status({"-H", "If-None-Match: " + etag}), "304 0");
  EXPECT_EQ(status({"-H", "If-None-Match: \"other\""}), "200 3000017");
  const auto modified = head.find("Last-Modified: ") + 15;
  EXPECT_EQ(status({"-H", "If-Modified-Since: " + head.substr(modified, 29)}), "304 0");
  EXPECT_EQ(status({"-H", "If-Match: \"other\""}).substr(0, 3), "412");
  EXPECT_EQ(status({"-r", "0-9", "-H", "If-Range: " + etag}), "206 10");
  EXPECT_EQ(status({"-r", "0-9", "-H", "If-Range: \"other\""}), "200 3000017");
  EXPECT_EQ(status({"-r", "-7"}), "206 7");
  const auto parts = curl({"-r", "0-1,5-6", image_url()}).out;
  EXPECT_THAT(parts, HasSubstr("Content-Range: bytes 5-6/3000017\r\n\r\n" +
                               image_.substr(5, 2) + "\r\n--"));
}

TEST_F(HttpClients, CheckTheChecksumFileBesideAnImage) {
  ASSERT_EQ(curl({"--output-dir", scratch_.path(), "-O", image_url(), "-O",
                  image_url() + ".sha256"})
                .code,
            0);
  fakes::write_file(scratch_ / "pump 7.img", file("pump%207.img"));
  const auto checked =
      run({"sha256sum", "-c", "pump%207.img.sha256"}, {}, "", scratch_.path());
  EXPECT_EQ(checked.out, "pump 7.img: OK\n");
  // The same over TFTP.
  EXPECT_EQ(run({"curl", "-sS", "-m", "60", tftp_url("north/pump%207.img.sha256")}).out,
            file("pump%207.img.sha256"));
}

TEST_F(HttpClients, ReadRefusalsInTheirForm) {
  const auto text = curl({"-w", "%{http_code}", http_url("/north/pmup%207.img")});
  EXPECT_EQ(text.out,
            "'north/pmup 7.img' is not on offer; nearest: 'north/pump 7.img'\n404");
  const auto told = read_json(
      curl({"-H", "Accept: application/json", http_url("/north/pmup%207.img")}).out);
  EXPECT_EQ(told["kind"], "not-found");
  EXPECT_EQ(told["nearest"], "north/pump 7.img");
  EXPECT_THAT(curl({"-i", "-X", "DELETE", image_url()}).out,
              HasSubstr("Allow: GET, HEAD, PUT, POST, OPTIONS"));
}

TEST_F(HttpClients, SeeFoldersInThreeForms) {
  EXPECT_THAT(curl({http_url("/")}).out,
              testing::MatchesRegex("hello +[0-9]+  [0-9a-f]+\nnorth/\n"));
  const auto json =
      read_json(curl({"-H", "Accept: application/json", http_url("/north/")}).out);
  EXPECT_EQ(json["entries"][0]["path"], "/north/pump%207.img");
  EXPECT_EQ(json["entries"][0]["size"], 3'000'017);
  take_in("a <b> & \"c\".img", "x");
  const auto page = curl({"-H", "Accept: text/html", http_url("/")}).out;
  EXPECT_THAT(page,
              HasSubstr("<a href=\"/a%20%3Cb%3E%20%26%20%22c%22.img\">a &lt;b&gt; &amp; "
                        "&quot;c&quot;.img</a>"));
  EXPECT_THAT(page, Not(HasSubstr("<b>")));
  EXPECT_THAT(curl({"-i", http_url("/south/")}).out, HasSubstr("404"));
}

TEST_F(HttpClients, AreToldOverWhatAnOfferIs) {
  ASSERT_EQ(
      vantro({"offer", "add", "north/pump 7.img", "--name", "boot.bin", "--over", "tftp"})
          .code,
      0);
  EXPECT_EQ(curl({http_url("/boot.bin")}).out,
            "'boot.bin' is not on offer over http; it is over tftp\n");
  ASSERT_EQ(vantro({"offer", "change", "boot.bin", "--over", "http,https"}).code, 0);
  ASSERT_EQ(curl({"-o", scratch_ / "got", http_url("/boot.bin")}).code, 0);
  EXPECT_EQ(file("got"), image_);
  EXPECT_EQ(vantro({"offer", "change", "boot.bin", "--over", "gopher"}).err,
            "vantro: 'gopher' is not a protocol of this server; it has tftp, ftp, "
            "ftps, http, https, scp, sftp\n");
}

TEST_F(HttpClients, SendBackups) {
  fakes::write_file(scratch_ / "cfg", "hostname tidegate\n");
  const auto put =
      curl({"-i", "-T", scratch_ / "cfg", http_url("/site/tidegate.cfg")}).out;
  EXPECT_THAT(put, HasSubstr("201 Created"));
  EXPECT_THAT(put, HasSubstr("Location: /backups/revision-1/site/tidegate.cfg\r\n"));
  EXPECT_THAT(put, HasSubstr("Repr-Digest: sha-256=:"));
  EXPECT_EQ(saved("127.0.0.1", "site/tidegate.cfg"), "hostname tidegate\n");
  // A small-system client can only post.
  const auto posted = run({"busybox", "wget", "-q", "-O", "-", "--post-file",
                           scratch_ / "cfg", http_url("/site/tidegate.cfg")});
  EXPECT_THAT(posted.out, HasSubstr("revision 1 of 'site/tidegate.cfg'")) << posted.err;
  EXPECT_THAT(posted.out, HasSubstr("seen again, unchanged"));
  const auto large = fakes::noise(5'000'001, 3);
  fakes::write_file(scratch_ / "large", large);
  for (const auto& how :
       {Arguments{"-H", "Transfer-Encoding: chunked"}, Arguments{"-H", "Expect:"},
        Arguments{"-H", "Expect: 100-continue"}, Arguments{"-0"}}) {
    auto arguments = how;
    arguments.insert(arguments.end(), {"-T", scratch_ / "large", http_url("/large.bin")});
    const auto sent = curl(arguments);
    EXPECT_THAT(sent.out, HasSubstr("of 'large.bin' from 127.0.0.1, 4.8 MiB"))
        << sent.err;
    EXPECT_EQ(saved("127.0.0.1", "large.bin"), large);
  }
  fakes::write_file(scratch_ / "nothing", "");
  EXPECT_THAT(curl({"-T", scratch_ / "nothing", http_url("/nothing.cfg")}).out,
              HasSubstr("revision 1 of 'nothing.cfg'"));
}

TEST_F(HttpClients, AreToldWhyABackupIsNotTaken) {
  fakes::write_file(scratch_ / "cfg", "x");
  const auto sent = [&](Arguments more, const std::string& path) {
    more.insert(more.begin(), {"-w", " %{http_code}", "-T", scratch_ / "cfg"});
    more.push_back(http_url(path));
    return curl(more).out;
  };
  EXPECT_EQ(sent({"-H", "Content-Digest: sha-256=:AQID:"}, "/a.cfg").substr(0, 32),
            "the SHA-256 of the received byte");
  EXPECT_THAT(sent({"-H", "Content-Digest: sha-256=:AQID:"}, "/a.cfg"),
              HasSubstr(" 422"));
  EXPECT_EQ(sent({"-H", "Repr-Digest: sha-256=rubbish"}, "/a.cfg"),
            "repr-digest: the digest 'sha-256=rubbish' is not of the form "
            "sha-256=:BASE64:\n 400");
  EXPECT_THAT(sent({"-H", "Content-Encoding: gzip"}, "/a.cfg"), HasSubstr(" 415"));
  EXPECT_THAT(sent({"-H", "Content-Range: bytes 0-0/5"}, "/a.cfg"), HasSubstr(" 400"));
  EXPECT_THAT(sent({"-H", "Expect: miracles"}, "/a.cfg"), HasSubstr(" 417"));
  EXPECT_THAT(
      curl({"-w", " %{http_code}", "-F", "x=@" + (scratch_ / "cfg"), http_url("/a.cfg")})
          .out,
      HasSubstr("-T FILE instead of -F\n 415"));
  EXPECT_THAT(curl({"-w", " %{http_code}", "-X", "PUT", http_url("/a.cfg")}).out,
              HasSubstr(" 411"));
  EXPECT_EQ(vantro({"backup", "revisions"}).out,
            "No backups yet: no device has sent a file.\n");
}

// A refusal costs no upload: curl waits for the agreement, and gets the refusal.
TEST_F(HttpClients, SendNothingThatIsRefused) {
  ASSERT_EQ(vantro({"account", "change", "anonymous", "--may", "fetch"}).code, 0);
  fakes::write_file(scratch_ / "large", fakes::noise(20'000'000, 3));
  const auto sent = curl({"-w", "%{http_code} %{size_upload}", "-o", "/dev/null", "-H",
                          "Expect: 100-continue", "--expect100-timeout", "20", "-T",
                          scratch_ / "large", http_url("/x")});
  EXPECT_EQ(sent.out, "401 0") << sent.err;
}

TEST_F(HttpClients, LeavePartialBackupsWhenTheyBreakOff) {
  fakes::write_file(scratch_ / "large", fakes::noise(20'000'000, 3));
  Process sending({"curl", "-sS", "--limit-rate", "2M", "-T", scratch_ / "large",
                   http_url("/large.bin")},
                  {}, scratch_ / "out", scratch_ / "err");
  ASSERT_TRUE(eventually([&] {
    const auto running = vantro_json({"transfer", "list"})["transfers"];
    return !running.empty() && running[0]["state"] == "running" &&
           running[0]["bytes"].get<int>() > 2'000'000;
  }));
  sending.signal(SIGKILL);
  sending.wait();
  EXPECT_THAT(row("deposit", "abandoned")["sentence"],
              HasSubstr("the client disconnected"));
  const auto partial = backups(1)[0];
  EXPECT_EQ(partial["complete"], false);
  EXPECT_GT(partial["size"], 2'000'000);
}

// Acknowledged to the last byte, or not: the ledger knows.
TEST_F(HttpClients, AreOnRecordWithWhatArrived) {
  take_in("large.img", fakes::noise(30'000'000, 9));
  Process fetching(
      {"curl", "-sS", "--limit-rate", "1M", "-o", "/dev/null", http_url("/large.img")},
      {}, scratch_ / "out", scratch_ / "err");
  ASSERT_TRUE(eventually([&] {
    const auto running = vantro_json({"transfer", "list"})["transfers"];
    return !running.empty() && running[0]["state"] == "running" &&
           running[0]["bytes"].get<int>() > 0;
  }));
  fetching.signal(SIGKILL);
  fetching.wait();
  const auto cut = row("fetch", "abandoned");
  EXPECT_EQ(cut["sentence"],
            "the client closed the connection before it had received everything");
  EXPECT_LT(cut["bytes"], 30'000'000);
  EXPECT_THAT(vantro({"contact", "127.0.0.1"}).out,
              HasSubstr("'large.img' was interrupted after"));
}

TEST_F(HttpClients, KeepEveryAcknowledgedBackupThroughAKill) {
  std::mt19937 random(11);
  std::map<std::string, std::string> acknowledged;
  for (int round = 0; round < 3; ++round) {
    std::vector<std::pair<std::string, std::unique_ptr<Process>>> uploads;
    for (int i = 0; i < 8; ++i) {
      const auto name = "cfg-" + std::to_string(round) + "-" + std::to_string(i);
      fakes::write_file(scratch_ / name, fakes::noise(random() % 3'000'000,
                                                      static_cast<unsigned>(random())));
      uploads.emplace_back(name, std::make_unique<Process>(
                                     Arguments{"curl", "-sSf", "-m", "10", "-T",
                                               scratch_ / name, http_url("/" + name)},
                                     Environment{}, "", ""));
    }
    ::usleep(20'000 + random() % 80'000);
    server_->signal(SIGKILL);
    server_->wait();
    for (auto& [name, process] : uploads) {
      if (process->wait() == 0) acknowledged[name] = file(name);
    }
    start();
  }
  for (const auto& [name, bytes] : acknowledged)
    EXPECT_EQ(saved("127.0.0.1", name), bytes) << name;
  const auto listed = vantro_json({"backup", "revisions"});
  for (const auto& one : listed["backups"]) {
    const std::string name = one["name"];
    EXPECT_TRUE(one["complete"] == false || one["size"] == file(name).size()) << name;
  }
}

}  // namespace
}  // namespace vantro::end_to_end
