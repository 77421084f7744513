// A server with SSH, an account "night" with a password and a key, and OpenSSH's clients
// set up for it.
#pragma once

#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {

class SshFixture : public ServerFixture {
 protected:
  static constexpr const char* kPassword = "night and day";

  SshFixture() { ssh_listen_ = "127.0.0.1:0"; }
  void SetUp() override {
    ServerFixture::SetUp();
    add_account("night", "fetch,deposit,read-back,hand-in");
    make_key("key");
    ASSERT_EQ(vantro({"account", "key", "add", "night", scratch_ / "key.pub"}).code, 0);
    configure();
  }
  void start_again(const std::string& settings) {
    stop();
    fakes::write_file(scratch_ / "vantro.toml", settings);
    start({"--config", scratch_ / "vantro.toml"});
    configure();
  }
  void add_account(const std::string& name, const std::string& may) {
    const auto added = run({vantro_program(), "account", "add", name, "--may", may},
                           client_environment(), std::string(kPassword) + "\n");
    ASSERT_EQ(added.code, 0) << added.err;
  }
  void make_key(const std::string& name, const std::string& type = "ed25519") {
    ASSERT_EQ(run({"ssh-keygen", "-q", "-t", type, "-N", "", "-C", "of a test", "-f",
                   scratch_ / name})
                  .code,
              0);
  }
  // What OpenSSH's clients are told of the server; its host key is checked.
  void configure() {
    // They are made beside serving, and SSH opens when they are there.
    std::string keys;
    EXPECT_TRUE(eventually([&] {
      keys.clear();
      const auto status = vantro_json({"status"});
      for (const auto& key : status["ssh"]["host_keys"]) {
        keys += key["type"].get<std::string>() + " ";
      }
      return !keys.empty();
    }));
    EXPECT_EQ(keys, "ssh-ed25519 ecdsa-sha2-nistp256 ssh-rsa ");
    fakes::write_file(scratch_ / "ssh_config",
                      "Host v 127.0.0.1\n HostName 127.0.0.1\n Port " +
                          std::to_string(ssh_port_) + "\n User night\n IdentityFile \"" +
                          (scratch_ / "key") +
                          "\"\n IdentitiesOnly yes\n BatchMode yes\n LogLevel ERROR\n"
                          " StrictHostKeyChecking accept-new\n UserKnownHostsFile \"" +
                          (scratch_ / "known hosts") + "\"\n");
  }
  Arguments with_config(const std::string& program, Arguments more) const {
    Arguments all{program, "-F", scratch_ / "ssh_config"};
    all.insert(all.end(), more.begin(), more.end());
    return all;
  }
  Output ssh(Arguments more) { return run(with_config("ssh", std::move(more))); }
  // In the scratch folder. `classic`: with the original protocol.
  Output scp(bool classic, Arguments more) {
    more.insert(more.begin(), "-q");
    if (classic) more.insert(more.begin(), "-O");
    return run(with_config("scp", std::move(more)), {}, "", scratch_.path());
  }
  // Its lines come from standard input.
  Output sftp(const std::string& lines, Arguments more = {}) {
    more.insert(more.begin(), {"-q", "-b", "-"});
    more.push_back("v");
    return run(with_config("sftp", std::move(more)), {}, lines, scratch_.path());
  }
  // Runs lines of Python behind a connected and logged-in paramiko transport `t`.
  Output python(const std::string& lines) {
    const auto script =
        "import paramiko, socket, sys, time\n"
        "t = paramiko.Transport(('127.0.0.1', " +
        std::to_string(ssh_port_) + "))\nt.start_client()\nt.auth_password('night', '" +
        kPassword + "')\n" + lines + "\nt.close()\n";
    // -u: what it prints stands in order with what its own children print.
    return run({"/usr/bin/python3", "-u", "-c", script}, {}, "", scratch_.path());
  }
  std::string ssh_url(const std::string& scheme, const std::string& path) const {
    return scheme + "://127.0.0.1:" + std::to_string(ssh_port_) + path;
  }
  // How the newest row of the event ended, once one is there: "outcome: sentence".
  std::string newest(const std::string& event) {
    std::string told;
    EXPECT_TRUE(eventually([&] {
      for (const auto rows = ledger(); const auto& one : rows) {
        if (one["event"] != event) continue;
        told =
            one["outcome"].get<std::string>() + ": " + one["sentence"].get<std::string>();
        return true;
      }
      return false;
    }));
    return told;
  }
};

}  // namespace vantro::end_to_end
