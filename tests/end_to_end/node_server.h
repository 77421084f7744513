// One of several real vantrods on one state folder and one PostgreSQL.
#pragma once

#include <memory>
#include <string>

#include "tests/end_to_end/process.h"

namespace vantro::end_to_end {

class NodeServer {
 public:
  // `scratch`: for its output and its socket. Not running yet.
  NodeServer(std::string name, std::string state, std::string scratch);

  // Starts with this database, without waiting; empty: with a file, as the only one.
  void begin(const std::string& database, const Arguments& more = {});
  // Waits until it answers. False: it has ended.
  bool ready();
  // Without a goodbye.
  void kill();
  // As an operator would stop it; the exit code.
  int stop();
  bool running() { return process_ && process_->running(); }
  void signal(int number) const { process_->signal(number); }

  const std::string& name() const { return name_; }
  Environment client_environment() const;
  Output vantro(Arguments arguments) const;
  std::string http_url(const std::string& path) const;
  std::string tftp_url(const std::string& name) const;
  std::string ftp_url(const std::string& path) const;
  std::string management_url(const std::string& path) const;
  std::string out() const;
  std::string err() const;

 private:
  std::string behind(const std::string& words) const;

  std::string name_;
  std::string state_;
  std::string scratch_;
  std::unique_ptr<Process> process_;
};

}  // namespace vantro::end_to_end
