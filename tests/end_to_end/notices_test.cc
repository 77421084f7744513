// Who is told when something goes wrong: webhooks, syslog and mail, taken by receivers of
// the test's own.
#include <array>
#include <filesystem>
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <openssl/hmac.h>

#include "tests/end_to_end/service_fixture.h"

namespace vantro::end_to_end {
namespace {

namespace fs = std::filesystem;
using testing::HasSubstr;

class Notices : public ServiceFixture {
 protected:
  void SetUp() override {
    ServiceFixture::SetUp();
    make_certificate("localhost");
    receivers_ = std::make_unique<Process>(
        Arguments{"python3", VANTRO_SOURCE_DIR "/tests/end_to_end/receivers.py",
                  scratch_.path(), scratch_ / "cert.pem", scratch_ / "key.pem"},
        Environment{}, scratch_ / "receivers.out", scratch_ / "receivers.err");
    ASSERT_TRUE(eventually([&] { return fs::exists(scratch_ / "ports"); }))
        << file("receivers.err");
    fakes::write_file(scratch_ / "secret", "marsh-marigold\n");
  }
  std::string port(const std::string& name) const {
    const auto ports = file("ports");
    const auto at = ports.find(name + "=") + name.size() + 1;
    return ports.substr(at, ports.find('\n', at) - at);
  }
  std::string webhook(const std::string& path, const std::string& events) const {
    return fmt::format(
        "[[notice]]\nname = \"desk\"\nway = \"webhook\"\nto = "
        "\"https://localhost:{}{}\"\nsecret_file = \"{}\"\nca_file = \"{}\"\nevents = "
        "[{}]\n",
        port("webhook"), path, scratch_ / "secret", scratch_ / "cert.pem", events);
  }
  std::string came(const std::string& name) {
    EXPECT_TRUE(fakes::eventually([&] { return fs::exists(scratch_ / name); },
                                  std::chrono::milliseconds(50)))
        << name << file("server.err");
    return fs::exists(scratch_ / name) ? file(name) : "";
  }

  std::unique_ptr<Process> receivers_;
};

TEST_F(Notices, GoOverEveryWay) {
  begin(webhook("/", "\"disk-low\"") +
        fmt::format("[[notice]]\nname = \"log\"\nway = \"syslog\"\nto = "
                    "\"udp://127.0.0.1:{}\"\n[[notice]]\nname = \"log-tls\"\nway = "
                    "\"syslog\"\nto = \"tls://localhost:{}\"\nca_file = \"{}\"\n"
                    "[[notice]]\nname = \"log-tcp\"\nway = "
                    "\"syslog\"\nto = \"tcp://127.0.0.1:{}\"\n[[notice]]\nname = "
                    "\"team\"\nway = \"mail\"\nto = \"night@example.net\"\nfrom = "
                    "\"vantro@example.net\"\nserver = \"smtp://127.0.0.1:{}\"\n",
                    port("udp"), port("tls"), scratch_ / "cert.pem", port("tcp"),
                    port("mail")));
  const auto tested = vantro({"notice", "test"});
  EXPECT_EQ(tested.code, 0) << tested.out << tested.err << file("server.err");
  EXPECT_EQ(tested.out,
            "desk: taken, status 202\nlog: sent; UDP does not confirm the arrival\n"
            "log-tls: sent\nlog-tcp: sent\nteam: the mail server accepted it\n");
  const auto hook = came("webhook-1");
  const auto body = hook.substr(hook.find("\n\n") + 2);
  EXPECT_THAT(hook, HasSubstr("Content-Type: application/cloudevents+json\n"));
  EXPECT_EQ(read_json(body)["type"], "vantro.test.begun");
  std::array<unsigned char, 32> code{};
  const std::string key = "marsh-marigold";
  HMAC(EVP_sha256(), key.data(), static_cast<int>(key.size()),
       reinterpret_cast<const unsigned char*>(body.data()), body.size(), code.data(),
       nullptr);
  EXPECT_THAT(hook, HasSubstr("Vantro-HMAC: " +
                              base::to_hex(base::ByteView(code.data(), code.size()))));
  for (const auto* each : {"syslog-1", "syslog-2", "syslog-3"}) {
    const auto line = came(each);
    EXPECT_THAT(line, HasSubstr(" test [vantro@32473 event=\"test\""));
    // Over a stream it is counted (RFC 6587, RFC 5425).
    if (line.front() == '<') continue;
    EXPECT_EQ(std::stoul(line), line.size() - line.find(' ') - 1);
  }
  const auto letter = came("mail-1");
  EXPECT_THAT(letter, HasSubstr("RCPT TO:<night@example.net>"));
  EXPECT_THAT(letter, HasSubstr("\r\nTo: night@example.net\r\n"));
  EXPECT_EQ(vantro({"notice", "test", "nobody"}).code, 5);
}

TEST_F(Notices, TellAMailServerThePasswordUnderTlsOnly) {
  const auto mail = [&](const std::string& to) {
    return fmt::format(
        "[[notice]]\nname = \"team\"\nway = \"mail\"\nto = \"night@example.net\"\nfrom = "
        "\"vantro@example.net\"\nserver = \"smtp://localhost:{}\"\nuser = \"vantro\"\n"
        "secret_file = \"{}\"\nca_file = \"{}\"\n",
        port(to), scratch_ / "secret", scratch_ / "cert.pem");
  };
  begin(mail("mail-tls"));
  EXPECT_EQ(vantro({"notice", "test"}).out, "team: the mail server accepted it\n");
  const auto letter = came("mail-1");
  EXPECT_THAT(letter,
              HasSubstr("under TLS\nAUTH PLAIN AHZhbnRybwBtYXJzaC1tYXJpZ29sZA=="));
  // One that has no TLS gets neither.
  write_settings(mail("mail"));
  ASSERT_EQ(vantro({"reload"}).code, 0);
  const auto refused = vantro({"notice", "test"});
  EXPECT_EQ(refused.code, 1);
  EXPECT_THAT(refused.out, HasSubstr("team: failed"));
  EXPECT_FALSE(fs::exists(scratch_ / "mail-2"));
}

TEST_F(Notices, ComeOnceAndOnceWhenItIsOverAlsoAcrossARestart) {
  begin(webhook("/away", "\"image-contradicted\""));
  take_in("x.img", "image");
  // Nobody takes it yet.
  ASSERT_EQ(
      vantro({"image", "vouch", "x.img", "--expect", "md5:" + std::string(32, '0')}).code,
      6);
  ASSERT_TRUE(fakes::eventually(
      [&] {
        const auto state = vantro_json({"notice", "list"});
        return state["receivers"][0]["waiting"] == 1 &&
               state["receivers"][0]["failure"] != "";
      },
      std::chrono::milliseconds(100)));
  stop();
  fakes::write_file(scratch_ / "back", "");
  begin(webhook("/away", "\"image-contradicted\""));
  const auto begun = came("webhook-1");
  EXPECT_THAT(begun, HasSubstr("\"type\":\"vantro.image-contradicted.begun\""));
  EXPECT_THAT(begun, HasSubstr("\"subject\":\"x.img\""));
  EXPECT_THAT(vantro({"notice", "list"}).out, HasSubstr("image-contradicted"));
  ASSERT_EQ(vantro({"image", "vouch", "x.img", "--undo"}).code, 0);
  EXPECT_THAT(came("webhook-2"),
              HasSubstr("\"type\":\"vantro.image-contradicted.over\""));
  EXPECT_FALSE(fs::exists(scratch_ / "webhook-3"));
}

}  // namespace
}  // namespace vantro::end_to_end
