// The catalogue as a network team uses it: the real programs, with the real tools that
// makers sign and check their lists with.
#include <gmock/gmock.h>
#include <regex>

#include "tests/end_to_end/server_fixture.h"
#include "tests/end_to_end/udp_peer.h"

namespace vantro::end_to_end {
namespace {

namespace fs = std::filesystem;
using testing::HasSubstr;

class Catalogue : public ServerFixture {
 protected:
  void SetUp() override {
    fakes::write_file(scratch_ / "settings.toml", R"(
[[recogniser]]
name = "fenrock"
pattern = '(?P<platform>causeway\d+)-(?P<role>sys|boot)-(?P<version>[\d.]+)\.(img|tgz)'
facts = { maker = "Fenrock" }
words = { sys = "system" }
[drop]
folder = ")" + (scratch_ / "drop") + R"("
settle_s = 1
)");
    start({"--config", scratch_ / "settings.toml"});
  }
  std::string file(const std::string& name, const std::string& bytes) {
    fakes::write_file(scratch_ / name, bytes);
    return scratch_ / name;
  }
  // What a device gets, or curl's exit code.
  std::string fetch(const std::string& name) {
    const auto got = run({"curl", "-s", "-m", "60", tftp_url(name)});
    return got.code == 0 ? got.out : "curl " + std::to_string(got.code);
  }
  Output shell(const std::string& line) {
    return run({"sh", "-c", line}, {{"HOME", scratch_.path()}}, "", scratch_.path());
  }
  nlohmann::json image(const std::string& name) {
    return vantro_json({"image", "info", name})["image"];
  }
  std::string tgz(const std::string& name, const std::string& bytes) {
    file("fw.bin", bytes);
    EXPECT_EQ(shell("tar czf '" + name + "' fw.bin").code, 0);
    return scratch_ / name;
  }
  // What the client says to `arguments` over a link that breaks so many times, each time
  // 3 MiB after a connection has begun.
  Output over_a_breaking_link(const char* times, Arguments arguments,
                              const Arguments& where = {std::to_string(3 << 20)}) {
    const auto link = scratch_ / "link.sock";
    Arguments program{"python3", VANTRO_SOURCE_DIR "/tests/end_to_end/breaking_relay.py",
                      link,      socket(),
                      where[0],  times};
    program.insert(program.end(), where.begin() + 1, where.end());
    Process relay(program, {}, scratch_ / "relay.out", scratch_ / "relay.err");
    EXPECT_TRUE(eventually([&] { return fs::exists(link); }));
    auto environment = client_environment();
    for (auto& [name, value] : environment) {
      if (name == "VANTRO_URL") value = link;
    }
    arguments.insert(arguments.begin(), vantro_program());
    return run(arguments, environment, "", "", std::chrono::seconds(120));
  }
  static std::string noise(std::size_t size) {
    std::string text(size, 'x');
    for (std::size_t i = 0; i < size; ++i) {
      text[i] = static_cast<char>((i * 2654435761u) >> 13);
    }
    return text;
  }
};

// 48 MiB over a link that breaks twice, by one call of the client.
TEST_F(Catalogue, SendsALargeImageOverALinkThatBreaks) {
  const auto path = file("causeway4-sys-7.7.0.img", noise(48 << 20));
  const auto added =
      over_a_breaking_link("2", {"image", "add", path, "--yes", "--progress", "plain"});
  EXPECT_EQ(added.code, 0) << added.err;
  EXPECT_THAT(added.err, HasSubstr("interrupted at "));
  EXPECT_THAT(added.out, HasSubstr("causeway4-sys-7.7.0.img: added"));
  // The client's own checksum of what it sent is not the maker's.
  EXPECT_THAT(added.out, testing::Not(HasSubstr("as expected")));
  EXPECT_EQ(run({"sha256sum", path}).out.substr(0, 64),
            image("causeway4-sys-7.7.0.img")["digests"]["sha256"]);
}

// All is sent, and the link breaks before the answer: the server has added it.
TEST_F(Catalogue, LearnsThatAnImageWasAddedThoughTheAnswerWasLost) {
  const auto path = file("causeway4-sys-7.7.1.img", noise(5 << 20));
  const auto added = over_a_breaking_link(
      "1", {"image", "add", path, "--yes", "--progress", "plain"}, {"100", "/filing"});
  EXPECT_EQ(added.code, 0) << added.err;
  EXPECT_THAT(added.err, HasSubstr("looks inside: no answer; asks again"));
  EXPECT_THAT(added.out, HasSubstr("causeway4-sys-7.7.1.img: added"));
  EXPECT_THAT(added.out, HasSubstr("Devices must type exactly: causeway4-sys-7.7.1.img"));
}

// The same for a large file in a folder.
TEST_F(Catalogue, AddsAFolderOverALinkThatBreaks) {
  fs::create_directory(scratch_ / "old");
  const auto path = file("old/causeway4-sys-7.9.0.img", noise(33 << 20));
  const auto added = over_a_breaking_link(
      "1", {"image", "add", scratch_ / "old", "--recursive", "--progress", "plain"});
  EXPECT_EQ(added.code, 0) << added.err;
  EXPECT_THAT(added.err, HasSubstr("interrupted at "));
  EXPECT_EQ(run({"sha256sum", path}).out.substr(0, 64),
            image("causeway4-sys-7.9.0.img")["digests"]["sha256"]);
}

// Ctrl-C, and the same command once more.
TEST_F(Catalogue, ResumesAnUploadThatWasInterrupted) {
  const auto path = file("causeway4-sys-7.8.0.img", noise(40 << 20));
  const auto by_hand = [&](const Arguments& more) {
    Arguments words{"curl", "-sSf", "--unix-socket", socket()};
    words.insert(words.end(), more.begin(), more.end());
    const auto done = run(words);
    EXPECT_EQ(done.code, 0) << done.err;
    return read_json(done.out);
  };
  const auto number =
      by_hand({"-d", R"({"name":"causeway4-sys-7.8.0.img","size":41943040})",
               "http://localhost/v1/uploads"})["number"]
          .get<int>();
  fakes::write_file(scratch_ / "piece", fakes::read_file(path).substr(0, 9 << 20));
  by_hand({"-T", scratch_ / "piece",
           "http://localhost/v1/uploads/" + std::to_string(number) + "?offset=0"});
  // Known by the login on this machine, as above.
  const auto added = run(
      {vantro_program(), "image", "add", path, "--yes", "--hold", "--progress", "plain"},
      {{"VANTRO_URL", socket()}});
  EXPECT_EQ(added.code, 0) << added.err;
  EXPECT_THAT(added.err, HasSubstr("resumes at 9.0 MiB"));
  EXPECT_EQ(run({"sha256sum", path}).out.substr(0, 64),
            image("causeway4-sys-7.8.0.img")["digests"]["sha256"]);
  // What was said of it then does not count any more.
  EXPECT_TRUE(image("causeway4-sys-7.8.0.img")["offers"].empty());
}

TEST_F(Catalogue, TakesFactsFromTheNameAndLooksInside) {
  const auto path = tgz("causeway4-sys-7.6.0.tgz", noise(50'000));
  const auto added = vantro({"image", "add", path});
  ASSERT_EQ(added.code, 0) << added.err;
  for (const auto* line :
       {"is          tar archive in gzip\n", "inside      whole: read to its end",
        "it contains 1 file", "maker       Fenrock\n", "platform    causeway4\n",
        "role        system\n", "version     7.6.0 (line 7.6)\n",
        "told by     name, by recogniser 'fenrock'\n", "maker says  unvouched\n"}) {
    EXPECT_NE(added.out.find(line), std::string::npos) << line << "\n" << added.out;
  }
  const auto told = vantro({"image", "recognise", "causeway4-boot-2.1.img"});
  EXPECT_TRUE(std::regex_search(told.out, std::regex("version +2\\.1 +name, by")))
      << told.out;
  EXPECT_NE(vantro({"image", "recognise", "x"}).out.find("No recogniser matches 'x'"),
            std::string::npos);
  EXPECT_TRUE(std::regex_search(
      vantro({"image", "list", "--platform", "causeway4", "--version", ">=7.6"}).out,
      std::regex("causeway4 +system +7\\.6\\.0 +newest in 7\\.6 "
                 "+causeway4-sys-7\\.6\\.0\\.tgz")));
  EXPECT_EQ(vantro({"image", "list", "--version", ">7.6"}).out,
            "Not in the catalogue: no image matches.\n");
}

// At a terminal, which script(1) makes.
TEST_F(Catalogue, AsksBeforeItTakesWhatTheNameTells) {
  file("causeway4-boot-2.1.img", "abc");
  file("causeway6-boot-2.1.img", "def");
  const auto answered = [&](const std::string& answer, const std::string& image) {
    auto environment = client_environment();
    environment.emplace_back("VANTRO", vantro_program());
    return run({"sh", "-c",
                "echo '" + answer + "' | script -qec \"$VANTRO image add " + image +
                    "\" /dev/null"},
               environment, "", scratch_.path())
        .out;
  };
  const auto refused = answered("n", "causeway4-boot-2.1.img");
  EXPECT_NE(refused.find("version   2.1  (name, by recogniser 'fenrock')"),
            std::string::npos)
      << refused;
  EXPECT_EQ(image("causeway4-boot-2.1.img")["facts"]["version"], "");
  const auto taken = answered("", "causeway6-boot-2.1.img");
  EXPECT_NE(taken.find("Use these facts? [Y/n]"), std::string::npos) << taken;
  EXPECT_EQ(image("causeway6-boot-2.1.img")["facts"]["version"], "2.1");
}

TEST_F(Catalogue, FilesNothingThatIsCutShortUnlessItIsTold) {
  const auto path = tgz("whole.tgz", noise(50'000));
  const auto bytes = fakes::read_file(path);
  const auto cut = file("cut.tgz", bytes.substr(0, bytes.size() / 2));
  const auto refused = vantro({"image", "add", cut});
  EXPECT_EQ(refused.code, 1);
  EXPECT_TRUE(std::regex_search(
      refused.err, std::regex("'cut\\.tgz' \\(tar archive in gzip\\) is truncated: the "
                              "gzip stream ends after .* in the middle; nothing was "
                              "added\\. .*--despite-findings")))
      << refused.err;
  EXPECT_EQ(vantro({"image", "find", cut}).code, 5);
  EXPECT_EQ(vantro({"image", "add", cut, "--despite-findings"}).code, 0);
  EXPECT_EQ(image("cut.tgz")["verdict"], "cut-short");
  const auto found = vantro({"image", "find", cut});
  EXPECT_EQ(found.code, 0);
  EXPECT_EQ(found.out.find("In the catalogue as cut.tgz\n"), 0u);
  const auto sum = image("cut.tgz")["digests"]["sha1"].get<std::string>();
  EXPECT_EQ(vantro({"image", "find", sum}).code, 0);
  EXPECT_EQ(vantro({"image", "find", std::string(40, '0')}).code, 5);
  EXPECT_EQ(vantro({"image", "find", "no such file"}).code, 2);
}

TEST_F(Catalogue, ComparesWithAListThatItsMakerSigned) {
  file("a.img", "abc");
  file("b.img", "other");
  ASSERT_EQ(shell("sha256sum a.img b.img > SHA256SUMS && md5sum --tag b.img > MD5SUMS && "
                  "minisign -G -W -f -p maker.pub -s maker.key >/dev/null && "
                  "minisign -S -s maker.key -m SHA256SUMS -x SHA256SUMS.minisig "
                  "</dev/null >/dev/null")
                .code,
            0);
  const auto in = [&](const char* name) { return scratch_ / name; };
  const auto added = vantro({"image", "add", in("a.img"), "--list", in("SHA256SUMS"),
                             "--signature", in("SHA256SUMS.minisig"), "--key",
                             in("maker.pub"), "--checksum-source", "its download page"});
  ASSERT_EQ(added.code, 0) << added.err;
  EXPECT_NE(added.out.find("maker says  vouched"), std::string::npos) << added.out;
  const auto info = vantro({"image", "info", "a.img"});
  EXPECT_TRUE(std::regex_search(
      info.out, std::regex("SHA-256 agrees \\(.* by operator, from its download page, "
                           "signed by minisign key [0-9A-F]{16}\\)")))
      << info.out;
  // Weak, later, and pasted.
  ASSERT_EQ(vantro({"image", "add", in("b.img")}).code, 0);
  const auto weak = vantro({"image", "vouch", "b.img", "--list", in("MD5SUMS")});
  EXPECT_EQ(weak.code, 0);
  EXPECT_NE(weak.out.find("b.img: vouched (weak)\n  MD5 and SHA-1 can be forged"),
            std::string::npos)
      << weak.out;
  // A list that somebody changed is not believed, and nothing is filed.
  ASSERT_EQ(shell("sed -i s/./0/1 SHA256SUMS").code, 0);
  const auto forged =
      vantro({"image", "add", in("a.img"), "--name", "c.img", "--list", in("SHA256SUMS"),
              "--signature", in("SHA256SUMS.minisig"), "--key", in("maker.pub")});
  EXPECT_EQ(forged.code, 6);
  EXPECT_NE(forged.err.find("did not sign this list"), std::string::npos) << forged.err;
  EXPECT_EQ(vantro({"image", "info", "c.img"}).code, 5);
}

TEST_F(Catalogue, KnowsAnOpenPgpSignature) {
  file("a.img", "abc");
  ASSERT_EQ(shell("sha512sum a.img > SHA512SUMS && mkdir -m 700 gnupg && "
                  "export GNUPGHOME=$PWD/gnupg && "
                  "gpg --batch --quiet --passphrase '' --quick-gen-key "
                  "'Maker <maker@example.net>' ed25519 sign never && "
                  "gpg --batch --armor --export > maker.asc && "
                  "gpg --batch --quiet --armor --detach-sign SHA512SUMS; code=$?; "
                  "gpgconf --kill all; exit $code")
                .code,
            0);
  ASSERT_EQ(vantro({"image", "add", scratch_ / "a.img"}).code, 0);
  const Arguments vouch{"image",
                        "vouch",
                        "a.img",
                        "--list",
                        scratch_ / "SHA512SUMS",
                        "--signature",
                        scratch_ / "SHA512SUMS.asc",
                        "--key",
                        scratch_ / "maker.asc"};
  const auto good = vantro(vouch);
  EXPECT_EQ(good.code, 0) << good.err;
  EXPECT_TRUE(std::regex_search(
      good.out, std::regex("SHA-512 agrees, signed by OpenPGP key [0-9A-F]{16} \\(Maker "
                           "<maker@example\\.net>\\)")))
      << good.out;
  // Binary signatures and keys, too.
  ASSERT_EQ(shell("gpg --batch --dearmor < SHA512SUMS.asc > SHA512SUMS.sig && "
                  "gpg --batch --dearmor < maker.asc > maker.gpg")
                .code,
            0);
  auto binary = vouch;
  binary[6] = scratch_ / "SHA512SUMS.sig";
  binary[8] = scratch_ / "maker.gpg";
  const auto good_too = vantro(binary);
  EXPECT_EQ(good_too.code, 0) << good_too.err;
  EXPECT_THAT(good_too.out, HasSubstr("SHA-512 agrees, signed by OpenPGP key"));
  // Over SHA-1, which can be forged; and by a key that was revoked since.
  ASSERT_EQ(shell("export GNUPGHOME=$PWD/gnupg && "
                  "gpg --batch --quiet --yes --armor --digest-algo SHA1 --output old.asc "
                  "--detach-sign SHA512SUMS && "
                  "sed 's/^:-----/-----/' gnupg/openpgp-revocs.d/*.rev > revoke.asc && "
                  "gpg --batch --quiet --import revoke.asc && "
                  "gpg --batch --armor --export > revoked.asc; code=$?; "
                  "gpgconf --kill all; exit $code")
                .code,
            0);
  auto old = vouch;
  old[6] = scratch_ / "old.asc";
  const auto forged = vantro(old);
  EXPECT_EQ(forged.code, 6);
  EXPECT_EQ(forged.err,
            "vantro: the signature uses SHA-1, which can be forged; ask the maker for "
            "one with SHA-256\n");
  auto revoked = vouch;
  revoked[8] = scratch_ / "revoked.asc";
  const auto gone = vantro(revoked);
  EXPECT_EQ(gone.code, 6);
  EXPECT_THAT(gone.err, HasSubstr("is revoked"));
  ASSERT_EQ(shell("echo >> SHA512SUMS").code, 0);
  const auto bad = vantro(vouch);
  EXPECT_EQ(bad.code, 6);
  EXPECT_EQ(bad.err,
            "vantro: wrong signature: this OpenPGP key did not sign this "
            "list\n");
}

TEST_F(Catalogue, TakesMembersOutOfAnArchive) {
  file("causeway4-sys-7.7.0.img", noise(90'000));
  file("notes.txt", "what is new");
  file("bad.img", "other bytes");
  ASSERT_EQ(
      shell("mkdir -p r && mv causeway4-sys-7.7.0.img notes.txt bad.img r && cd r && "
            "sha256sum causeway4-sys-7.7.0.img notes.txt > SHA256SUMS && "
            "echo 0000000000000000000000000000000000000000000000000000000000000000 "
            "' bad.img' >> SHA256SUMS && cd .. && tar czf release.tgz r && "
            "cd r && python3 -m zipfile -c ../release.zip *")
          .code,
      0);
  for (const std::string archive : {"release.tgz", "release.zip"}) {
    SCOPED_TRACE(archive);
    ASSERT_EQ(vantro({"image", "add", scratch_ / archive, "--hold"}).code, 0);
    const std::string in = archive == "release.tgz" ? "r/" : "";
    const auto as = archive + ".img";
    const auto out = vantro(
        {"image", "extract", archive, in + "causeway4-sys-7.7.0.img", "--name", as});
    EXPECT_EQ(out.code, 0) << out.err;
    EXPECT_THAT(out.out, HasSubstr("the checksum matches the archive's own list"));
    const auto info = vantro({"image", "info", as}).out;
    // The same bytes are one image, with what was first said of it.
    EXPECT_THAT(info, HasSubstr("r/causeway4-sys-7.7.0.img in release.tgz"));
    EXPECT_EQ(fetch(as), noise(90'000));
    EXPECT_EQ(vantro({"image", "extract", archive, in + "bad.img"}).code, 6);
    const auto none = vantro({"image", "extract", archive, in + "causeway4-sys-7.7.img"});
    EXPECT_EQ(none.code, 5);
    EXPECT_THAT(none.err, HasSubstr("nearest: '" + in + "causeway4-sys-7.7.0.img'"));
    EXPECT_EQ(
        vantro({"image", "extract", archive, in + "notes.txt", "--document-of", as}).code,
        0);
    EXPECT_EQ(vantro({"image", "document", "write", as, "notes.txt", "--out", "-"}).out,
              "what is new");
  }
  // Nobody is there to be asked.
  EXPECT_EQ(
      vantro({"image", "remove", "release.zip"}).err,
      "vantro: Remove 'release.zip' and its bytes for good? Say so with --yes; nothing "
      "was changed\n");
  const auto gone = vantro({"image", "remove", "release.zip", "--yes"});
  EXPECT_EQ(gone.code, 0) << gone.err;
  EXPECT_EQ(vantro({"image", "info", "release.zip"}).code, 5);
}

// MD5, SHA-1 and SHA-512 of a large image follow after it was added.
TEST_F(Catalogue, AnExportWaitsForTheDigestsThatFollow) {
  file("large.img", noise(48 << 20));
  ASSERT_EQ(vantro({"image", "add", scratch_ / "large.img"}).code, 0);
  const auto out = vantro({"export", scratch_ / "carry", "large.img"});
  ASSERT_EQ(out.code, 0) << out.err;
  const auto manifest =
      nlohmann::json::parse(fakes::read_file(scratch_ / "carry/contents.json"));
  const auto digests = manifest["images"][0]["digests"];
  for (const std::string which : {"md5", "sha1", "sha256", "sha512"}) {
    const auto computed = shell(which + "sum carry/images/large.img").out;
    EXPECT_EQ(digests[which], computed.substr(0, computed.find(' ')));
  }
}

// A stranger that answers in a server's place must not write where it likes.
TEST_F(Catalogue, AFalseServerWritesNothingOutsideAnExport) {
  take_in("x.img", "the image");
  Process false_server(
      {"/usr/bin/python3", VANTRO_SOURCE_DIR "/tests/end_to_end/false_server.py",
       socket(), scratch_ / "false.sock", "x.img", "../../x.img"},
      {}, scratch_ / "false.out", scratch_ / "false.err");
  ASSERT_TRUE(eventually([&] {
    return fakes::read_file(scratch_ / "false.out").find("ready") != std::string::npos;
  }));
  const auto out = run(
      {vantro_program(), "--url", scratch_ / "false.sock", "export", scratch_ / "a/b/c"});
  EXPECT_EQ(out.code, 1) << out.out;
  EXPECT_THAT(
      out.err,
      HasSubstr(
          "'../../x.img', which is not a valid file name here; nothing was written"));
  EXPECT_FALSE(fs::exists(scratch_ / "a"));
  EXPECT_FALSE(fs::exists(scratch_ / "x.img"));
  false_server.signal(SIGKILL);
}

TEST_F(Catalogue, AContradictionTakesAnImageOffOfferAtOnce) {
  take_in("a.img", "abc");
  EXPECT_EQ(fetch("a.img"), "abc");
  const auto wrong =
      vantro({"image", "vouch", "a.img", "--expect", std::string(64, '0')});
  EXPECT_EQ(wrong.code, 6);
  EXPECT_NE(wrong.out.find("a.img: SHA-256 DIFFERS"), std::string::npos);
  EXPECT_EQ(fetch("a.img"), "curl 69");
  EXPECT_NE(vantro({"status"}).out.find("TROUBLE     'a.img' differs"),
            std::string::npos);
  EXPECT_EQ(vantro({"image", "vouch", "a.img", "--undo"}).code, 0);
  EXPECT_EQ(fetch("a.img"), "abc");
}

TEST_F(Catalogue, OffersUnderFixedNamesToNetworksForATime) {
  take_in("a.img", "first");
  take_in("b.img", "second");
  ASSERT_EQ(vantro({"offer", "add", "a.img", "--name", "fixed/boot.bin"}).code, 0);
  const auto narrower = vantro({"offer", "add", "b.img", "--name", "fixed/boot.bin",
                                "--networks", "127.0.0.0/8", "--until", "2h"});
  EXPECT_NE(narrower.out.find("beside   fixed/boot.bin, which gives a.img; the narrower "
                              "network wins"),
            std::string::npos)
      << narrower.out << narrower.err;
  EXPECT_EQ(fetch("fixed/boot.bin"), "second");
  ASSERT_EQ(
      vantro({"offer", "end", "fixed/boot.bin", "--offered-to", "127.0.0.0/8"}).code, 0);
  EXPECT_EQ(fetch("fixed/boot.bin"), "first");
  ASSERT_EQ(vantro({"offer", "change", "fixed/boot.bin", "--image", "b.img"}).code, 0);
  EXPECT_EQ(fetch("fixed/boot.bin"), "second");
  const auto history = vantro_json({"offer", "history", "fixed/boot.bin"})["offers"];
  ASSERT_EQ(history.size(), 3u);
  const auto at_first = history[2]["since"].get<std::string>();
  const auto then = vantro_json({"offer", "list", "--at", at_first});
  for (const auto& offer : then["offers"]) {
    if (offer["name"] != "fixed/boot.bin") continue;
    EXPECT_EQ(offer["image"], "a.img");
  }
  for (const auto& row : ledger()) {
    EXPECT_FALSE(row["event"] == "fetch" && row["sha256"].is_null()) << row;
  }
  EXPECT_EQ(vantro({"offer", "add", "a.img", "--networks", "192.0.2.1/24"}).code, 2);
  EXPECT_EQ(vantro({"offer", "add", "a.img", "--until", "soon"}).code, 2);
  const auto list = vantro({"offer", "checksums"});
  file("SUMS", list.out);
  file("a.img", "first");
  file("b.img", "second");
  EXPECT_EQ(shell("mkdir -p fixed && cp b.img fixed/boot.bin && sha256sum -c SUMS").code,
            0)
      << list.out;
}

// A device in the middle of a fetch, whose next acknowledgement is the test's to send.
TEST_F(Catalogue, LetsARunningTransferEndWhenItsImageIsWithdrawn) {
  take_in("a.img", std::string(512, 'a') + std::string(512, 'b') + "c");
  Peer device("127.0.0.1");
  device.send("127.0.0.1", tftp_port_, read_request("a.img"));
  EXPECT_EQ(device.hear(), "DATA 1 [512]");
  const auto done =
      vantro({"image", "withdraw", "a.img", "--reason", "loses its routes"});
  EXPECT_EQ(done.code, 0) << done.err;
  EXPECT_NE(done.out.find("no longer on offer: a.img"), std::string::npos);
  device.answer(ack(1));
  EXPECT_EQ(device.hear(), "DATA 2 [512]");
  device.answer(ack(2));
  EXPECT_EQ(device.hear(), "DATA 3 [1]");
  device.answer(ack(3));
  ASSERT_TRUE(eventually([&] { return ledger()[0]["event"] == "fetch"; }));
  EXPECT_EQ(ledger()[0]["outcome"], "complete");
  EXPECT_EQ(ledger()[0]["sentence"], "the image was withdrawn while it was sent");
  Peer next("127.0.0.1");
  next.send("127.0.0.1", tftp_port_, read_request("a.img"));
  EXPECT_NE(next.hear().find("'a.img' was withdrawn: loses its routes"),
            std::string::npos);
}

TEST_F(Catalogue, FindsDamageOnDiskAndShouts) {
  take_in("a.img", "sound bytes");
  const auto sha256 = image("a.img")["digests"]["sha256"].get<std::string>();
  const auto stored = state() + "/vault/" + sha256.substr(0, 2) + "/" + sha256;
  fs::permissions(stored, fs::perms::owner_write, fs::perm_options::add);
  fakes::write_file(stored, "SOUND bytes");
  const auto found = vantro({"verify", "--rate", "0"});
  EXPECT_EQ(found.code, 6);
  EXPECT_NE(found.out.find("DAMAGED  a.img: its bytes no longer match"),
            std::string::npos)
      << found.out;
  EXPECT_EQ(fetch("a.img"), "curl 69");
  EXPECT_NE(vantro({"status"}).out.find("TROUBLE     damaged or missing"),
            std::string::npos);
  EXPECT_NE(fakes::read_file(scratch_ / "server.err").find("no longer match"),
            std::string::npos);
  take_in("a.img", "sound bytes");
  EXPECT_EQ(fetch("a.img"), "sound bytes");
  EXPECT_EQ(vantro({"verify", "--unread-for", "1"}).out,
            "Nothing to read; everything was read lately.\n");
}

TEST_F(Catalogue, TakesInWhatIsDroppedEvenFromASlowWriter) {
  ASSERT_EQ(
      shell("(for i in 1 2 3 4 5 6 7 8; do echo $i; sleep 0.3; done) > "
            "drop/causeway4-boot-2.1.img & "
            "echo abc > drop/b.img; sha256sum drop/b.img | sed 's#drop/##' > "
            "drop/SHA256SUMS; echo 0123 > drop/c.img.md5; echo x > drop/c.img; wait")
          .code,
      0);
  const auto done = scratch_ / "drop/done/";
  EXPECT_TRUE(eventually([&] {
    return fs::exists(done + "causeway4-boot-2.1.img") && fs::exists(done + "b.img") &&
           fs::exists(scratch_ / "drop/c.img.trouble.txt");
  })) << shell("ls -R drop").out;
  EXPECT_EQ(image("causeway4-boot-2.1.img")["size"], 16);
  EXPECT_EQ(image("causeway4-boot-2.1.img")["facts"]["maker"], "Fenrock");
  EXPECT_EQ(image("b.img")["vouching"], "vouched");
  EXPECT_NE(fakes::read_file(scratch_ / "drop/c.img.trouble.txt")
                .find("'c.img.md5' is not a readable checksum list"),
            std::string::npos)
      << fakes::read_file(scratch_ / "drop/c.img.trouble.txt") << shell("ls -R drop").out;
}

TEST_F(Catalogue, CarriesImagesToAServerThatNoNetworkReaches) {
  const auto path = tgz("causeway4-sys-7.6.0.tgz", noise(50'000));
  ASSERT_EQ(vantro({"image", "add", path}).code, 0);
  take_in("causeway4-boot-2.1.img", "boot");
  const auto sum =
      image("causeway4-boot-2.1.img")["digests"]["sha512"].get<std::string>();
  ASSERT_EQ(vantro({"image", "vouch", "causeway4-boot-2.1.img", "--expect", sum}).code,
            0);
  ASSERT_EQ(vantro({"offer", "add", "causeway4-boot-2.1.img", "--name", "fixed/b"}).code,
            0);
  file("notes.md", "# Notes\n");
  ASSERT_EQ(vantro({"image", "document", "add", "causeway4-sys-7.6.0.tgz",
                    scratch_ / "notes.md"})
                .code,
            0);
  ASSERT_EQ(vantro({"image", "change", "causeway4-sys-7.6.0.tgz", "--remark",
                    "boot loader first", "--space", "80 MiB"})
                .code,
            0);
  ASSERT_EQ(vantro({"kit", "add", "c4", "causeway4-boot-2.1.img",
                    "causeway4-sys-7.6.0.tgz", "--part-remark", "needs a cold start"})
                .code,
            0);
  ASSERT_EQ(vantro({"export", scratch_ / "stick"}).code, 0);
  ASSERT_EQ(vantro({"export", scratch_ / "stick.tar"}).code, 0);
  EXPECT_EQ(shell("cd stick && sha256sum -c SHA256SUMS").code, 0);
  EXPECT_EQ(
      shell("mkdir t && cd t && tar xf ../stick.tar && sha256sum -c SHA256SUMS").code, 0);
  EXPECT_EQ(vantro({"export", scratch_ / "stick"}).code, 7);
  const auto before = vantro_json({"kit", "list"});
  stop();
  for (const auto* from : {"stick", "stick.tar"}) {
    fs::remove_all(state());
    database_.renew();
    start({"--config", scratch_ / "settings.toml"});
    const auto taken = vantro({"import", scratch_ / from});
    EXPECT_EQ(taken.code, 0) << taken.out << taken.err;
    EXPECT_NE(taken.out.find("2 images added, 0 known already, 0 failed"),
              std::string::npos)
        << taken.out;
    EXPECT_EQ(fetch("fixed/b"), "boot");
    EXPECT_EQ(image("causeway4-boot-2.1.img")["vouching"], "vouched");
    EXPECT_EQ(image("causeway4-sys-7.6.0.tgz")["facts"]["space"], 83886080);
    EXPECT_EQ(vantro({"image", "document", "write", "causeway4-sys-7.6.0.tgz", "notes.md",
                      "--out", "-"})
                  .out,
              "# Notes\n");
    EXPECT_EQ(vantro_json({"kit", "list"})["kits"][0]["parts"],
              before["kits"][0]["parts"]);
    EXPECT_NE(vantro({"import", scratch_ / from}).out.find("2 known already"),
              std::string::npos);
    stop();
  }
  // One file that went bad on the way is told, and the other is added.
  fs::remove_all(state());
  start({"--config", scratch_ / "settings.toml"});
  fakes::write_file(scratch_ / "stick/images/causeway4-boot-2.1.img", "BOOT");
  const auto bad = vantro({"import", scratch_ / "stick"});
  EXPECT_EQ(bad.code, 6);
  EXPECT_NE(bad.out.find("FAILED  images/causeway4-boot-2.1.img: the SHA-256 checksum"),
            std::string::npos)
      << bad.out;
  EXPECT_EQ(image("causeway4-sys-7.6.0.tgz")["size"].get<std::size_t>(),
            fs::file_size(path));
}

TEST_F(Catalogue, ComparesTwoImagesInWords) {
  ASSERT_EQ(vantro({"image", "add", tgz("causeway4-sys-7.6.12.tgz", "old")}).code, 0);
  ASSERT_EQ(vantro({"image", "add", tgz("causeway4-sys-7.6.21.tgz", "newer")}).code, 0);
  const auto both = vantro(
      {"image", "compare", "causeway4-sys-7.6.12.tgz", "causeway4-sys-7.6.21.tgz"});
  EXPECT_EQ(both.out.find("The second is newer, same line; third number 12 -> 21; "
                          "CAUTION: easily mistaken for each other.\n"),
            0u)
      << both.out;
  EXPECT_TRUE(std::regex_search(both.out, std::regex("of another size +5 B +fw\\.bin")))
      << both.out;
  EXPECT_NE(vantro({"image", "list"}).out.find("look-alike"), std::string::npos);
}

// A file that is made to do harm must not take the server down; the child that looks into
// it is stopped, and the server goes on.
TEST_F(Catalogue, OutlivesAFileThatExpandsWithoutEnd) {
  ASSERT_EQ(shell("head -c 300000000 /dev/zero | gzip -9 > a.gz && gzip -9 < a.gz > b.gz "
                  "&& gzip -9 < b.gz > c.gz")
                .code,
            0);
  const auto added = vantro({"image", "add", scratch_ / "c.gz"});
  EXPECT_EQ(added.code, 0) << added.err;
  EXPECT_NE(added.out.find("gzip in gzip in gzip"), std::string::npos) << added.out;
  EXPECT_EQ(vantro({"status"}).code, 0);
}

}  // namespace
}  // namespace vantro::end_to_end
