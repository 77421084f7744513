// The real vantrod on loopback ports that the system chooses, driven by the real vantro.
#pragma once

#include <chrono>
#include <functional>
#include <gtest/gtest.h>
#include <memory>
#include <nlohmann/json.hpp>
#include <string>

#include "tests/end_to_end/process.h"
#include "tests/fakes/eventually.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::end_to_end {

class ServerFixture : public testing::Test {
 protected:
  void SetUp() override { start(); }

  // Starts and waits until it is ready. `before`: words in front of the command.
  void start(const Arguments& more = {}, const Arguments& before = {}) {
    Arguments arguments = before;
    arguments.insert(
        arguments.end(),
        {vantrod_program(), "--state", state(), "--tftp-listen", tftp_listen_,
         "--ftp-listen", ftp_listen_, "--http-listen", http_listen_, "--ssh-listen",
         ssh_listen_, "--management-listen", "127.0.0.1:0"});
    arguments.insert(arguments.end(), more.begin(), more.end());
    // What an earlier server said must not be taken for this one's.
    std::filesystem::remove(scratch_ / "server.out");
    server_ = std::make_unique<Process>(arguments, Environment{}, scratch_ / "server.out",
                                        scratch_ / "server.err");
    ASSERT_TRUE(eventually([&] {
      return server_out().find("Ready.") != std::string::npos || !server_->running();
    }));
    ASSERT_TRUE(server_->running()) << fakes::read_file(scratch_ / "server.err");
    tftp_port_ = number_behind("TFTP listens on " + tftp_host() + ":");
    if (ftp_listen_ != "none") ftp_port_ = number_behind("\nFTP listens on 127.0.0.1:");
    if (http_listen_ != "none") http_port_ = number_behind("HTTP listens on 127.0.0.1:");
    if (ssh_listen_ != "none") {
      ssh_port_ = number_behind("SSH (SCP and SFTP) listens on 127.0.0.1:");
    }
    management_port_ = number_behind("Management listens on 127.0.0.1:");
  }
  // As an operator would stop it. A sanitizer's finding shows in the exit code.
  void stop() {
    server_->signal(SIGTERM);
    EXPECT_EQ(server_->wait(), 0) << fakes::read_file(scratch_ / "server.err");
  }
  void TearDown() override {
    if (server_ && server_->running()) stop();
  }

  Output vantro(Arguments arguments, const std::string& folder = "") {
    arguments.insert(arguments.begin(), vantro_program());
    return run(arguments, client_environment(), "", folder);
  }
  Environment client_environment() const {
    return {{"VANTRO_URL", url()}, {"VANTRO_TOKEN", token()}, {"TZ", "UTC"}};
  }
  nlohmann::json vantro_json(Arguments arguments) {
    arguments.insert(arguments.begin(), "--json");
    const auto output = vantro(arguments);
    EXPECT_EQ(output.code, 0) << output.err;
    return nlohmann::json::parse(output.out, nullptr, false);
  }
  // Makes a file with these bytes and takes it in.
  void take_in(const std::string& name, const std::string& bytes) {
    fakes::write_file(scratch_ / "image", bytes);
    const auto output = vantro({"image", "add", scratch_ / "image", "--name", name});
    ASSERT_EQ(output.code, 0) << output.err;
  }
  // The newest complete revision's bytes.
  std::string saved(const std::string& address, const std::string& name) {
    const auto output = vantro({"backup", "save", address, name, "--to", "-"});
    EXPECT_EQ(output.code, 0) << output.err;
    return output.out;
  }
  // The rows of the ledger as JSON, newest first.
  nlohmann::json ledger() { return vantro_json({"ledger"})["entries"]; }
  // The newest one of the event and outcome, once it is there.
  nlohmann::json row(const std::string& event, const std::string& outcome) {
    nlohmann::json found;
    EXPECT_TRUE(eventually([&] {
      for (const auto rows = ledger(); const auto& one : rows) {
        if (one["event"] != event || one["outcome"] != outcome) continue;
        found = one;
        return true;
      }
      return false;
    })) << event
        << " " << outcome << " is not among " << ledger();
    return found;
  }

  // The backups, once there are `count`: what broke off is filed after the answer to it.
  nlohmann::json backups(std::size_t count) {
    nlohmann::json found;
    EXPECT_TRUE(eventually([&] {
      found = vantro_json({"backup", "revisions"})["backups"];
      return found.size() == count;
    })) << found;
    return found;
  }

  // A file of the scratch folder.
  std::string file(const std::string& name) const {
    return fakes::read_file(scratch_ / name);
  }

  // The server starts once more and finds that no image was verified for 50 days, and a
  // wrong byte in the middle of this one. The verifier, which would find it too, is off.
  // Returns where it is stored.
  std::string age_and_damage(const std::string& name) {
    const auto info = vantro_json({"image", "info", name});
    const auto sha256 = info["image"]["digests"]["sha256"].get<std::string>();
    stop();
    const auto stored = state() + "/vault/" + sha256.substr(0, 2) + "/" + sha256;
    EXPECT_EQ(::chmod(stored.c_str(), 0600), 0) << name;
    auto bytes = fakes::read_file(stored);
    bytes[bytes.size() / 2] ^= 1;
    fakes::write_file(stored, bytes);
    const auto aged =
        run({"/usr/bin/python3", "-c",
             "import sqlite3, sys\nd = sqlite3.connect(sys.argv[1])\n"
             "d.execute('update images set read_at = read_at - 50 * 86400000')\n"
             "d.commit()\n",
             state() + "/vantro.db"});
    EXPECT_EQ(aged.code, 0) << aged.err;
    fakes::write_file(scratch_ / "vantro.toml", "[verify]\nevery_days = 0\n");
    start({"--config", scratch_ / "vantro.toml"});
    return stored;
  }

  static bool eventually(const std::function<bool()>& condition) {
    return fakes::eventually(condition, std::chrono::milliseconds(10));
  }

  std::string state() const { return scratch_ / "the state"; }
  std::string token() const {
    auto text = fakes::read_file(state() + "/token");
    if (!text.empty()) text.pop_back();
    return text;
  }
  std::string url() const {
    return "http://127.0.0.1:" + std::to_string(management_port_);
  }
  std::string tftp_url(const std::string& name) const {
    return "tftp://" + tftp_host() + ":" + std::to_string(tftp_port_) + "/" + name;
  }
  std::string ftp_url(const std::string& path) const {
    return "ftp://127.0.0.1:" + std::to_string(ftp_port_) + path;
  }
  std::string http_url(const std::string& path) const {
    return "http://127.0.0.1:" + std::to_string(http_port_) + path;
  }
  std::string tftp_host() const {
    return tftp_listen_.substr(0, tftp_listen_.rfind(':'));
  }
  std::string server_out() const { return fakes::read_file(scratch_ / "server.out"); }

  fakes::ScratchFolder scratch_;
  std::string tftp_listen_ = "127.0.0.1:0";
  std::string ftp_listen_ = "127.0.0.1:0";
  std::string http_listen_ = "127.0.0.1:0";
  std::string ssh_listen_ = "none";  // its keys take a moment to be made
  int tftp_port_ = 0;
  int ftp_port_ = 0;
  int http_port_ = 0;
  int ssh_port_ = 0;
  int management_port_ = 0;
  std::unique_ptr<Process> server_;

 private:
  int number_behind(const std::string& words) const {
    const auto text = server_out();
    const auto at = text.find(words);
    EXPECT_NE(at, std::string::npos) << text;
    return at == std::string::npos ? 0 : std::atoi(text.c_str() + at + words.size());
  }
};

}  // namespace vantro::end_to_end
