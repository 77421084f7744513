// A server with a settings file that changes while it runs.
#pragma once

#include <filesystem>
#include <fmt/format.h>
#include <string>
#include <sys/stat.h>
#include <vector>

#include "tests/end_to_end/server_fixture.h"
#include "tests/end_to_end/udp_peer.h"

namespace vantro::end_to_end {

class ServiceFixture : public ServerFixture {
 protected:
  void SetUp() override { std::filesystem::create_directories(scratch_ / "snapshots"); }

  void write_settings(const std::string& more) {
    fakes::write_file(scratch_ / "vantro.toml",
                      fmt::format("snapshot.folder = \"{}\"\nhttp.listen = [{}]\n{}",
                                  scratch_ / "snapshots", http_, more));
  }
  // As ServerFixture::start(), with the addresses of HTTP in the settings.
  void begin(const std::string& more = "", const Arguments& before = {},
             const Arguments& behind = {}) {
    write_settings(more);
    if (!std::filesystem::exists(state())) {
      // As of an earlier version: it makes the persons 'operator' and 'secrets' of them.
      std::filesystem::create_directories(state());
      ::chmod(state().c_str(), 0700);
      fakes::write_file(state() + "/token", kOperatorToken + std::string("\n"));
      fakes::write_file(state() + "/secrets-token", kSecretsToken + std::string("\n"));
    }
    Arguments arguments = before;
    arguments.insert(
        arguments.end(),
        {vantrod_program(), "--config", scratch_ / "vantro.toml", "--state", state(),
         "--tftp-listen", "127.0.0.1:0", "--ftp-listen", "none", "--management-listen",
         "127.0.0.1:0", "--management-socket", socket()});
    arguments.insert(arguments.end(), behind.begin(), behind.end());
    std::filesystem::remove(scratch_ / "server.out");
    server_ = std::make_unique<Process>(arguments, Environment{}, scratch_ / "server.out",
                                        scratch_ / "server.err");
    ASSERT_TRUE(eventually([&] {
      return server_out().find("Ready.") != std::string::npos || !server_->running();
    }));
    ASSERT_TRUE(server_->running()) << file("server.err");
    const auto number = [&](const std::string& words) {
      return std::stoi(said_behind(words));
    };
    tftp_port_ = number("TFTP listens on 127.0.0.1:");
    management_port_ = number("Management listens on http://127.0.0.1:");
  }
  // What "vantrod --check" says of the file while that server runs.
  std::string check() {
    return run({vantrod_program(), "--config", scratch_ / "vantro.toml", "--state",
                state(), "--tftp-listen", "127.0.0.1:0", "--ftp-listen", "none",
                "--management-listen", "127.0.0.1:0", "--management-socket", socket(),
                "--check"})
        .out;
  }
  // cert.pem and key.pem, good for nine days.
  void make_certificate(const std::string& name) {
    const auto made =
        run({"openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt",
             "ec_paramgen_curve:P-256", "-nodes", "-days", "9", "-subj", "/CN=" + name,
             "-addext", "subjectAltName=DNS:" + name + ",IP:127.0.0.1", "-keyout",
             scratch_ / "key.pem", "-out", scratch_ / "cert.pem"});
    ASSERT_EQ(made.code, 0) << made.err;
  }
  // "127.0.0.1:41234" for each listener of it.
  std::vector<std::string> listeners(const std::string& protocol) {
    std::vector<std::string> all;
    const auto status = vantro_json({"status"});
    for (const auto& one : status["listeners"]) {
      if (one["protocol"] == protocol) all.push_back(one["address"]);
    }
    return all;
  }
  std::string fetched(const std::string& address, const std::string& name) {
    return run({"curl", "-s", "-g", "http://" + address + "/" + name}).out;
  }
  void ask(Peer& peer, const std::string& name) {
    peer.send("127.0.0.1", tftp_port_, read_request(name));
  }
  std::string status_of_process(const std::string& field) {
    const auto all = fakes::read_file(fmt::format("/proc/{}/status", server_->pid()));
    const auto at = all.find("\n" + field + ":");
    if (at == std::string::npos) return "";
    const auto begin = all.find_first_not_of(" \t", at + field.size() + 2);
    return all.substr(begin, all.find('\n', begin) - begin);
  }

  std::string http_ = "\"127.0.0.1:0\"";
};

}  // namespace vantro::end_to_end
