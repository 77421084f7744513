// Images that are pushed into devices. The device is this server itself, which takes what
// comes as a backup of the address that it comes from.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include "tests/end_to_end/lossy_relay.h"
#include "tests/end_to_end/ssh_fixture.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;

class Push : public SshFixture {
 protected:
  void SetUp() override {
    SshFixture::SetUp();
    take_in("levee.img", image_);
  }
  Output push(Arguments more, const std::string& typed = "") {
    more.insert(more.begin(), {vantro_program(), "push", "levee.img"});
    return run(more, client_environment(), typed);
  }
  Arguments to(int port, const std::string& over) const {
    return {"--to", "127.0.0.1:" + std::to_string(port), "--over", over, "--wait", "5s"};
  }
  Output over_ssh(const std::string& over, const std::string& name,
                  const std::string& password = kPassword, Arguments more = {}) {
    auto arguments = to(ssh_port_, over);
    arguments.insert(arguments.end(), {"--account", "night", "--name", name});
    arguments.insert(arguments.end(), more.begin(), more.end());
    return push(arguments, password + "\n");
  }

  const std::string image_ = fakes::noise(700'001);
};

TEST_F(Push, OverTftpWithWindowsAndSmallBlocks) {
  for (const auto* window : {"1", "8"}) {
    auto arguments = to(tftp_port_, "tftp");
    const auto name = fmt::format("flash/levee-{}.img", window);
    arguments.insert(arguments.end(), {"--name", name, "--window-size", window});
    const auto pushed = push(arguments);
    EXPECT_EQ(pushed.code, 0) << pushed.err;
    EXPECT_THAT(pushed.out, HasSubstr("'levee.img' was sent to 127.0.0.1:"));
    EXPECT_EQ(saved("127.0.0.1", name), image_);
  }
  const auto row = this->row("push", "complete");
  EXPECT_EQ(row["bytes"], image_.size());
  EXPECT_EQ(row["actor"], "127.0.0.1");
  EXPECT_THAT(row["sentence"].get<std::string>(), HasSubstr("pushed by "));
}

TEST_F(Push, OverHttpByPutAndByPost) {
  for (const bool post : {false, true}) {
    auto arguments = to(http_port_, "http");
    const std::string name = post ? "posted.img" : "put.img";
    arguments.insert(arguments.end(), {"--name", name});
    if (post) arguments.emplace_back("--post");
    const auto pushed = push(arguments);
    EXPECT_EQ(pushed.code, 0) << pushed.err;
    EXPECT_EQ(saved("127.0.0.1", name), image_);
  }
  auto arguments = to(http_port_, "http");
  arguments.insert(arguments.end(), {"--name", "intake/levee2.img"});
  const auto refused = push(arguments);
  EXPECT_EQ(refused.code, 1);
  EXPECT_THAT(refused.err, HasSubstr("the device refused it with 40"));
}

TEST_F(Push, OverSshTheHostKeyIsShownRememberedAndAChangedOneRefused) {
  const auto first = over_ssh("sftp", "by-sftp.img");
  EXPECT_EQ(first.code, 0) << first.err;
  EXPECT_THAT(first.out, HasSubstr("Its host key is SHA256:"));
  EXPECT_THAT(first.out, HasSubstr("remembered from now on"));
  EXPECT_EQ(saved("127.0.0.1", "by-sftp.img"), image_);
  const auto second = over_ssh("scp", "by-scp.img");
  EXPECT_EQ(second.code, 0) << second.err;
  EXPECT_THAT(second.out, HasSubstr("as remembered"));
  EXPECT_EQ(saved("127.0.0.1", "by-scp.img"), image_);
  // The password is in no record.
  EXPECT_EQ(run({"grep", "-r", "-l", kPassword, state()}).code, 1);

  const auto wrong = over_ssh("sftp", "x.img", "another password");
  EXPECT_EQ(wrong.code, 1);
  EXPECT_THAT(wrong.err, HasSubstr("refused the account 'night' or its password"));

  const auto fingerprint = second.out.substr(second.out.find("SHA256:"), 50);
  stop();
  std::filesystem::remove_all(state() + "/ssh");
  start();
  configure();
  const auto changed = push(
      {"--to", "127.0.0.1:" + std::to_string(ssh_port_), "--over", "sftp", "--account",
       "night", "--name", "y.img", "--host-key", fingerprint, "--wait", "5s"},
      std::string(kPassword) + "\n");
  EXPECT_EQ(changed.code, 1);
  EXPECT_THAT(changed.err, HasSubstr("the device's host key has changed"));
  EXPECT_THAT(changed.err, HasSubstr("push again with --host-key SHA256:"));
}

TEST_F(Push, WhoMayNotPushIsRefusedAndSoIsAnAddressThatIsNotAllowed) {
  const auto added = vantro_json({"person", "add", "desk", "--role", "operate"});
  auto environment = client_environment();
  const auto refused = run(
      {"curl", "-s", "-H", "Authorization: Bearer " + added["token"].get<std::string>(),
       "-d", R"({"image": "levee.img", "to": "127.0.0.1"})", url() + "/v1/pushes"});
  EXPECT_THAT(refused.out, HasSubstr("needs the right 'push'"));
  const auto elsewhere = push({"--to", "203.0.113.7"});
  EXPECT_EQ(elsewhere.code, 1);
  EXPECT_THAT(elsewhere.err,
              HasSubstr("the settings do not allow a push to 203.0.113.7"));
  EXPECT_THAT(push({"--to", "no-such-device"}).err,
              HasSubstr("neither a known device nor an IP address"));
  EXPECT_THAT(push({"--to", "127.0.0.1", "--over", "ftp"}).err, HasSubstr("ftp"));
}

TEST_F(Push, NobodyThereIsToldAfterTheWait) {
  const auto nobody = push({"--to", "127.0.0.1:9", "--wait", "1s"});
  EXPECT_EQ(nobody.code, 1);
  EXPECT_THAT(nobody.err, HasSubstr("the device did not listen within"));
  const auto http = push({"--to", "127.0.0.1:9", "--wait", "3s", "--over", "http"});
  EXPECT_EQ(http.code, 1);
  EXPECT_THAT(http.err, HasSubstr("the device did not listen at 127.0.0.1:9"));
}

}  // namespace
}  // namespace vantro::end_to_end
