// Between a program and its PostgreSQL: a TCP relay that cuts a connection at a chosen
// moment, or lets nothing through for a while, as a failing network does.
#pragma once

#include <arpa/inet.h>
#include <array>
#include <atomic>
#include <list>
#include <mutex>
#include <netinet/in.h>
#include <poll.h>
#include <string>
#include <string_view>
#include <sys/socket.h>
#include <thread>
#include <unistd.h>

#include "base/unique_fd.h"

namespace vantro::end_to_end {

class CutRelay {
 public:
  explicit CutRelay(int server_port)
      : server_port_(server_port), listener_(socket_to(0, true)) {
    thread_ = std::thread([this] { accept_all(); });
  }
  ~CutRelay() {
    stopping_ = true;
    thread_.join();
    for (auto& one : carriers_) one.join();
  }
  CutRelay(const CutRelay&) = delete;
  CutRelay& operator=(const CutRelay&) = delete;

  int port() const {
    sockaddr_in own{};
    socklen_t length = sizeof own;
    ::getsockname(listener_.get(), reinterpret_cast<sockaddr*>(&own), &length);
    return ntohs(own.sin_port);
  }
  // The next connection over which the program sends this word is cut once: the server
  // gets the word and its answer is lost, or does not even get it.
  void cut_behind(const std::string& word) { arm(word, true); }
  void cut_before(const std::string& word) { arm(word, false); }
  int cuts() const { return cuts_; }
  // Nothing passes, and nobody is told: new connections, too, only seem to be accepted.
  void hold(bool on) { held_ = on; }

 private:
  static base::UniqueFd socket_to(int port, bool listens) {
    base::UniqueFd fd(::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0));
    sockaddr_in place{};
    place.sin_family = AF_INET;
    place.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    place.sin_port = htons(static_cast<std::uint16_t>(port));
    const auto* address = reinterpret_cast<const sockaddr*>(&place);
    const int done = listens ? ::bind(fd.get(), address, sizeof place)
                             : ::connect(fd.get(), address, sizeof place);
    if (listens) ::listen(fd.get(), 64);
    return done == 0 ? std::move(fd) : base::UniqueFd();
  }
  void arm(const std::string& word, bool behind) {
    const std::lock_guard lock(mutex_);
    word_ = word;
    behind_ = behind;
  }

  static bool readable(int fd) {
    pollfd one{fd, POLLIN, 0};
    return ::poll(&one, 1, 20) == 1;
  }
  static bool send_all(int fd, std::string_view bytes) {
    while (!bytes.empty()) {
      const auto sent = ::send(fd, bytes.data(), bytes.size(), MSG_NOSIGNAL);
      if (sent <= 0) return false;
      bytes.remove_prefix(static_cast<std::size_t>(sent));
    }
    return true;
  }

  void accept_all() {
    while (!stopping_) {
      if (!readable(listener_.get())) continue;
      base::UniqueFd client(::accept4(listener_.get(), nullptr, nullptr, SOCK_CLOEXEC));
      carriers_.emplace_back([this, from = std::move(client)] { carry(from); });
    }
  }

  void carry(const base::UniqueFd& client) {
    base::UniqueFd server;
    std::array<char, 65536> bytes{};
    while (!stopping_) {
      if (held_) {
        ::usleep(10'000);
        continue;
      }
      if (!server) server = socket_to(server_port_, false);
      if (!server) return;
      std::array<pollfd, 2> both{pollfd{client.get(), POLLIN, 0},
                                 pollfd{server.get(), POLLIN, 0}};
      if (::poll(both.data(), both.size(), 20) <= 0 || held_) continue;
      for (std::size_t i = 0; i < both.size(); ++i) {
        if (both.at(i).revents == 0) continue;
        const auto count = ::recv(both.at(i).fd, bytes.data(), bytes.size(), 0);
        if (count <= 0) return;
        const std::string_view got(bytes.data(), static_cast<std::size_t>(count));
        const bool cuts = i == 0 && is_due(got);
        if (cuts && !behind_) return;
        if (!send_all(both.at(1 - i).fd, got)) return;
        if (cuts) {
          ::usleep(200'000);  // it is done there meanwhile
          return;
        }
      }
    }
  }
  bool is_due(std::string_view bytes) {
    const std::lock_guard lock(mutex_);
    if (word_.empty() || bytes.find(word_) == std::string_view::npos) return false;
    word_.clear();
    ++cuts_;
    return true;
  }

  const int server_port_;
  base::UniqueFd listener_;
  std::mutex mutex_;
  std::string word_;
  std::atomic<bool> behind_ = false;
  std::atomic<bool> held_ = false;
  std::atomic<bool> stopping_ = false;
  std::atomic<int> cuts_ = 0;
  std::list<std::thread> carriers_;  // of the accepting thread
  std::thread thread_;
};

}  // namespace vantro::end_to_end
