// The real vantrod on loopback ports that the system chooses, driven by the real vantro.
#pragma once

#include <chrono>
#include <functional>
#include <gtest/gtest.h>
#include <iosfwd>
#include <memory>
#include <nlohmann/json.hpp>
#include <string>

#include "tests/end_to_end/process.h"
#include "tests/fakes/eventually.h"
#include "tests/fakes/scratch_folder.h"
#include "tests/fakes/test_database.h"

// Compiled once, in server_fixture.cc: it would be a third of each test's build time.
extern template class nlohmann::basic_json<>;

NLOHMANN_JSON_NAMESPACE_BEGIN
// How GoogleTest shows it.
void PrintTo(const json& value, std::ostream* out);
NLOHMANN_JSON_NAMESPACE_END

namespace vantro::end_to_end {

// Discarded, where the text is not JSON.
nlohmann::json read_json(const std::string& text);

class ServerFixture : public testing::Test {
 protected:
  void SetUp() override { start(); }

  // Starts and waits until it is ready. `before`: words in front of the command.
  void start(const Arguments& more = {}, const Arguments& before = {});
  // As an operator would stop it. A sanitizer's finding shows in the exit code.
  void stop();
  void TearDown() override;

  Output vantro(Arguments arguments, const std::string& folder = "");
  Environment client_environment() const;
  nlohmann::json vantro_json(Arguments arguments);
  // Makes a file with these bytes and takes it in.
  void take_in(const std::string& name, const std::string& bytes);
  // The newest complete revision's bytes.
  std::string saved(const std::string& address, const std::string& name);
  // The rows of the ledger as JSON, newest first.
  nlohmann::json ledger() { return vantro_json({"ledger"})["entries"]; }
  // The newest one of the event and outcome, once it is there.
  nlohmann::json row(const std::string& event, const std::string& outcome);

  // The backups, once there are `count`: what broke off is filed after the answer to it.
  nlohmann::json backups(std::size_t count);

  // A file of the scratch folder.
  std::string file(const std::string& name) const {
    return fakes::read_file(scratch_ / name);
  }

  // The server starts once more and finds that no image was verified for 50 days, and a
  // wrong byte in the middle of this one. The verifier, which would find it too, is off.
  // Returns where it is stored.
  std::string age_and_damage(const std::string& name);
  // While no server runs.
  void change_database(const std::string& sql);

  static bool eventually(const std::function<bool()>& condition) {
    return fakes::eventually(condition, std::chrono::milliseconds(10));
  }

  std::string state() const { return scratch_ / "the state"; }
  // The part that is this server's alone: over PostgreSQL it is a node.
  std::string own_state() const;
  // Of a person who may do everything but see secrets; and of one who may see them.
  static constexpr const char* kOperatorToken = "the-operators-token-in-tests";
  static constexpr const char* kSecretsToken = "the-token-in-tests-that-sees-secrets";
  std::string token() const { return kOperatorToken; }
  // The local socket, where the one who runs the tests may do everything.
  std::string socket() const { return scratch_ / "management.sock"; }
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
  // What the server says behind these words when it starts, up to the end of the line.
  std::string said_behind(const std::string& words) const;
  // Of a server that was started with --management-tls-listen.
  std::string secure_url() const {
    return "https://" + said_behind("Management listens on https://");
  }
  std::string fingerprint() const { return said_behind("; SHA-256 "); }
  std::string server_out() const { return fakes::read_file(scratch_ / "server.out"); }

  fakes::ScratchFolder scratch_;
  fakes::TestDatabase database_;
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
  int number_behind(const std::string& words) const;
};

}  // namespace vantro::end_to_end
