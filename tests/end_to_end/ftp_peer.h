// An FTP client as a test plays it, command by command.
#pragma once

#include <cstdlib>
#include <memory>
#include <string>

#include "tests/end_to_end/tcp_peer.h"

namespace vantro::end_to_end {

class FtpPeer {
 public:
  // Reads the greeting.
  explicit FtpPeer(int port, int receive_buffer = 0) : control_(port, receive_buffer) {
    greeting_ = reply();
  }

  const std::string& greeting() const { return greeting_; }
  TcpPeer& control() { return control_; }

  // The next reply, all of its lines; empty if the connection has ended.
  std::string reply() {
    while (true) {
      std::size_t at = 0;
      // "226 " ends a reply, "226-" and " ..." do not.
      for (auto end = waiting_.find("\r\n"); end != std::string::npos;
           end = waiting_.find("\r\n", at)) {
        const auto line = waiting_.substr(at, end - at);
        at = end + 2;
        if (line.size() < 4 || line[3] != ' ' || line[0] == ' ') continue;
        auto all = waiting_.substr(0, at);
        waiting_.erase(0, at);
        return all;
      }
      const auto some = control_.receive();
      if (some.empty()) return std::exchange(waiting_, "");
      waiting_ += some;
    }
  }
  std::string command(const std::string& line) {
    control_.send(line + "\r\n");
    return reply();
  }
  std::string log_in(const std::string& name = "anonymous",
                     const std::string& password = "x") {
    command("USER " + name);
    return command("PASS " + password);
  }
  // A passive port.
  int passive_port() {
    const auto told = command("EPSV");
    const auto at = told.find("|||");
    return at == std::string::npos ? 0 : std::atoi(told.c_str() + at + 3);
  }
  std::unique_ptr<TcpPeer> passive(int receive_buffer = 0) {
    return std::make_unique<TcpPeer>(passive_port(), receive_buffer);
  }
  // What a command gives over a data connection; its replies are in `said`.
  std::string fetched(const std::string& line) {
    const auto data = passive();
    said = command(line);
    if (said.substr(0, 1) != "1") return "";
    auto all = data->rest();
    data->close();
    said += reply();
    return all;
  }
  void send(const std::string& line, const std::string& bytes) {
    const auto data = passive();
    said = command(line);
    if (said.substr(0, 1) != "1") return;
    data->send(bytes);
    data->close();
    said += reply();
  }
  std::string said;

 private:
  TcpPeer control_;
  std::string waiting_;
  std::string greeting_;
};

}  // namespace vantro::end_to_end
