#include "tests/end_to_end/node_server.h"

#include <csignal>
#include <filesystem>
#include <sys/stat.h>
#include <utility>

#include "tests/fakes/eventually.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::end_to_end {
namespace {

constexpr const char* kToken = "the-operators-token-in-tests";

}  // namespace

NodeServer::NodeServer(std::string name, std::string state, std::string scratch)
    : name_(std::move(name)), state_(std::move(state)), scratch_(std::move(scratch)) {}

void NodeServer::begin(const std::string& database, const Arguments& more) {
  if (!std::filesystem::exists(state_)) {
    std::filesystem::create_directory(state_);
    ::chmod(state_.c_str(), 0700);
    fakes::write_file(state_ + "/token", kToken + std::string("\n"));
  }
  std::filesystem::remove(scratch_ + "/" + name_ + ".out");
  Arguments arguments{vantrod_program(),
                      "--state",
                      state_,
                      "--tftp-listen",
                      "127.0.0.1:0",
                      "--ftp-listen",
                      "127.0.0.1:0",
                      "--http-listen",
                      "127.0.0.1:0",
                      "--ssh-listen",
                      "none",
                      "--management-listen",
                      "127.0.0.1:0",
                      "--management-socket",
                      scratch_ + "/" + name_ + ".sock"};
  if (!database.empty()) {
    arguments.insert(arguments.end(), {"--database", database, "--node", name_});
  }
  arguments.insert(arguments.end(), more.begin(), more.end());
  process_ =
      std::make_unique<Process>(arguments, Environment{}, scratch_ + "/" + name_ + ".out",
                                scratch_ + "/" + name_ + ".err");
}

bool NodeServer::ready() {
  fakes::eventually(
      [&] { return out().find("Ready.") != std::string::npos || !process_->running(); },
      std::chrono::milliseconds(10));
  return process_->running();
}

void NodeServer::kill() {
  process_->signal(SIGKILL);
  process_->wait();
}

int NodeServer::stop() {
  process_->signal(SIGTERM);
  return process_->wait();
}

Environment NodeServer::client_environment() const {
  return {{"VANTRO_URL", scratch_ + "/" + name_ + ".sock"},
          {"VANTRO_TOKEN", kToken},
          {"TZ", "UTC"}};
}

Output NodeServer::vantro(Arguments arguments) const {
  arguments.insert(arguments.begin(), vantro_program());
  return run(arguments, client_environment());
}

std::string NodeServer::behind(const std::string& words) const {
  const auto text = out();
  const auto at = text.find(words);
  if (at == std::string::npos) return "";
  const auto from = at + words.size();
  return text.substr(from, text.find_first_not_of("0123456789", from) - from);
}

std::string NodeServer::http_url(const std::string& path) const {
  return "http://127.0.0.1:" + behind("HTTP listens on 127.0.0.1:") + path;
}

std::string NodeServer::tftp_url(const std::string& name) const {
  return "tftp://127.0.0.1:" + behind("TFTP listens on 127.0.0.1:") + "/" + name;
}

std::string NodeServer::ftp_url(const std::string& path) const {
  return "ftp://127.0.0.1:" + behind("\nFTP listens on 127.0.0.1:") + path;
}

std::string NodeServer::management_url(const std::string& path) const {
  return "http://127.0.0.1:" + behind("Management listens on http://127.0.0.1:") + path;
}

std::string NodeServer::out() const {
  return fakes::read_file(scratch_ + "/" + name_ + ".out");
}

std::string NodeServer::err() const {
  return fakes::read_file(scratch_ + "/" + name_ + ".err");
}

}  // namespace vantro::end_to_end
