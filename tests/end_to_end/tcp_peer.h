// A TCP client as a test plays it, byte by byte.
#pragma once

#include <arpa/inet.h>
#include <array>
#include <gtest/gtest.h>
#include <netinet/in.h>
#include <string>
#include <string_view>
#include <sys/socket.h>
#include <unistd.h>

#include "base/unique_fd.h"

namespace vantro::end_to_end {

class TcpPeer {
 public:
  // Connects to a port of 127.0.0.1. `receive_buffer` in bytes; 0: the system's own.
  // `from`: another loopback address to come from.
  explicit TcpPeer(int port, int receive_buffer = 0, const char* from = nullptr)
      : fd_(::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0)) {
    if (receive_buffer > 0) {
      ::setsockopt(fd_.get(), SOL_SOCKET, SO_RCVBUF, &receive_buffer,
                   sizeof receive_buffer);
    }
    const timeval patience{60, 0};
    ::setsockopt(fd_.get(), SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
    if (from != nullptr) {
      sockaddr_in here{};
      here.sin_family = AF_INET;
      ::inet_pton(AF_INET, from, &here.sin_addr);
      ::bind(fd_.get(), reinterpret_cast<const sockaddr*>(&here), sizeof here);
    }
    sockaddr_in there{};
    there.sin_family = AF_INET;
    there.sin_port = htons(static_cast<std::uint16_t>(port));
    there.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    connected_ = ::connect(fd_.get(), reinterpret_cast<const sockaddr*>(&there),
                           sizeof there) == 0;
  }

  bool connected() const { return connected_; }
  int fd() const { return fd_.get(); }
  // False once the other end does not take it any more.
  bool send(std::string_view text) {
    while (!text.empty()) {
      const auto put = ::send(fd_.get(), text.data(), text.size(), MSG_NOSIGNAL);
      if (put <= 0) return false;
      text.remove_prefix(static_cast<std::size_t>(put));
    }
    return true;
  }
  // What comes next; empty at the end, or after a minute without anything.
  std::string receive() {
    std::array<char, 65536> buffer;
    const auto got = ::recv(fd_.get(), buffer.data(), buffer.size(), 0);
    return got > 0 ? std::string(buffer.data(), static_cast<std::size_t>(got)) : "";
  }
  // Everything until the other end closes.
  std::string rest() {
    std::string all = std::move(waiting_);
    for (auto some = receive(); !some.empty(); some = receive()) all += some;
    return all;
  }
  // One answer with a Content-Length, head and body.
  std::string answer() {
    while (waiting_.find("\r\n\r\n") == std::string::npos) {
      const auto some = receive();
      if (some.empty()) return std::exchange(waiting_, "");
      waiting_ += some;
    }
    const auto head = waiting_.find("\r\n\r\n") + 4;
    std::size_t length = 0;
    if (const auto at = waiting_.find("Content-Length: "); at < head) {
      length = std::stoul(waiting_.substr(at + 16));
    }
    while (waiting_.size() < head + length) {
      const auto some = receive();
      if (some.empty()) break;
      waiting_ += some;
    }
    auto all = waiting_.substr(0, head + length);
    waiting_.erase(0, head + length);
    return all;
  }
  void end_sending() { ::shutdown(fd_.get(), SHUT_WR); }
  void close() { fd_.reset(); }

 private:
  base::UniqueFd fd_;
  bool connected_ = false;
  std::string waiting_;
};

}  // namespace vantro::end_to_end
