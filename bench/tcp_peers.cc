#include "bench/tcp_peers.h"

#include <algorithm>
#include <arpa/inet.h>
#include <array>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <stdexcept>
#include <sys/epoll.h>
#include <sys/prctl.h>
#include <sys/sendfile.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace vantro::bench {
namespace {

using Clock = std::chrono::steady_clock;

constexpr std::size_t kTurn = 1 << 20;

double since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

[[noreturn]] void broken(const std::string& what) {
  throw std::runtime_error(what + ": " + std::strerror(errno));
}

struct Sending {
  off_t at = 0;
  std::string head;
};

// One thread of the pump: accepts, waits for a request, sends.
void pump(int listening, int file, off_t size) {
  const int epoll = ::epoll_create1(0);
  epoll_event event{};
  event.events = EPOLLIN | EPOLLEXCLUSIVE;
  event.data.fd = listening;
  ::epoll_ctl(epoll, EPOLL_CTL_ADD, listening, &event);
  std::vector<Sending> sending(65536);
  std::array<epoll_event, 256> events;
  while (true) {
    const int count = ::epoll_wait(epoll, events.data(), events.size(), -1);
    for (int i = 0; i < count; ++i) {
      const int fd = events[static_cast<std::size_t>(i)].data.fd;
      if (fd == listening) {
        const int accepted = ::accept4(listening, nullptr, nullptr, SOCK_NONBLOCK);
        if (accepted < 0) continue;
        const int on = 1;
        ::setsockopt(accepted, IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
        event.events = EPOLLIN;
        event.data.fd = accepted;
        ::epoll_ctl(epoll, EPOLL_CTL_ADD, accepted, &event);
        continue;
      }
      auto& one = sending[static_cast<std::size_t>(fd)];
      if (one.head.empty()) {
        std::array<char, 4096> request;
        if (::recv(fd, request.data(), request.size(), 0) <= 0) {
          ::close(fd);
          continue;
        }
        one.head = fmt::format("HTTP/1.1 200 OK\r\nContent-Length: {}\r\n\r\n", size);
        one.at = 0;
        ::send(fd, one.head.data(), one.head.size(), MSG_MORE | MSG_NOSIGNAL);
        event.events = EPOLLOUT;
        event.data.fd = fd;
        ::epoll_ctl(epoll, EPOLL_CTL_MOD, fd, &event);
      }
      const auto put = ::sendfile(fd, file, &one.at, kTurn);
      if (put < 0 && errno == EAGAIN) continue;
      if (put < 0) {
        one.head.clear();
        ::close(fd);
      } else if (one.at == size) {
        one.head.clear();
        event.events = EPOLLIN;
        event.data.fd = fd;
        ::epoll_ctl(epoll, EPOLL_CTL_MOD, fd, &event);
      }
    }
  }
}

// Bytes of an answer's head, or 0 if it is not there yet; its body's length behind it.
std::size_t head_of(std::string_view text, std::size_t& length) {
  const auto end = text.find("\r\n\r\n");
  if (end == std::string_view::npos) return 0;
  constexpr std::string_view kLength = "Content-Length: ";
  const auto at = text.find(kLength);
  length = at == std::string_view::npos
               ? 0
               : std::stoul(std::string(text.substr(at + kLength.size(), 20)));
  return end + 4;
}

}  // namespace

int listen_on_loopback(std::uint16_t& port) {
  const int listening = ::socket(AF_INET, SOCK_STREAM, 0);
  sockaddr_in own{};
  own.sin_family = AF_INET;
  own.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  socklen_t size = sizeof own;
  if (::bind(listening, reinterpret_cast<sockaddr*>(&own), size) != 0 ||
      ::listen(listening, 1024) != 0 ||
      ::getsockname(listening, reinterpret_cast<sockaddr*>(&own), &size) != 0) {
    broken("it can't listen");
  }
  port = ntohs(own.sin_port);
  return listening;
}

SendfilePump::SendfilePump(const std::string& file, int threads) {
  const int listening = listen_on_loopback(port_);
  ::fcntl(listening, F_SETFL, O_NONBLOCK);
  child_ = ::fork();
  if (child_ == 0) {
    ::prctl(PR_SET_PDEATHSIG, SIGKILL);
    const int fd = ::open(file.c_str(), O_RDONLY);
    struct stat about {};
    ::fstat(fd, &about);
    std::vector<std::thread> all;
    for (int i = 1; i < threads; ++i) {
      all.emplace_back([=] { pump(listening, fd, about.st_size); });
    }
    pump(listening, fd, about.st_size);
  }
  ::close(listening);
}

SendfilePump::~SendfilePump() {
  ::kill(child_, SIGKILL);
  ::waitpid(child_, nullptr, 0);
}

int connect_to(std::uint16_t port, int receive_buffer) {
  const int fd = ::socket(AF_INET, SOCK_STREAM, 0);
  if (receive_buffer > 0) {
    ::setsockopt(fd, SOL_SOCKET, SO_RCVBUF, &receive_buffer, sizeof receive_buffer);
  }
  sockaddr_in there{};
  there.sin_family = AF_INET;
  there.sin_port = htons(port);
  there.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  if (::connect(fd, reinterpret_cast<sockaddr*>(&there), sizeof there) != 0) {
    ::close(fd);
    return -1;
  }
  const int on = 1;
  ::setsockopt(fd, IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
  return fd;
}

std::string request_for(const std::string& name) {
  return "GET /" + name + " HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n";
}

std::vector<double> read_to_end(const std::vector<int>& sockets, std::size_t bytes,
                                bool with_head, const std::function<void()>& ask) {
  struct Reading {
    std::string head;
    std::size_t left = 0;
    double seconds = 0;
  };
  std::vector<Reading> all(sockets.size());
  const int epoll = ::epoll_create1(0);
  for (std::size_t i = 0; i < sockets.size(); ++i) {
    if (!with_head) all[i].left = bytes;
    ::fcntl(sockets[i], F_SETFL, O_NONBLOCK);
    epoll_event event{};
    event.events = EPOLLIN;
    event.data.u64 = i;
    ::epoll_ctl(epoll, EPOLL_CTL_ADD, sockets[i], &event);
  }
  const auto begin = Clock::now();
  ask();
  std::vector<char> buffer(256 * 1024);
  std::array<epoll_event, 256> events;
  std::size_t running = sockets.size();
  while (running > 0) {
    const int count = ::epoll_wait(epoll, events.data(), events.size(), 20'000);
    if (count <= 0) throw std::runtime_error("nothing comes any more");
    for (int i = 0; i < count; ++i) {
      const auto which = events[static_cast<std::size_t>(i)].data.u64;
      auto& one = all[which];
      const auto got = ::recv(sockets[which], buffer.data(), buffer.size(), 0);
      if (got < 0 && errno == EAGAIN) continue;
      if (got <= 0) broken("an answer broke off");
      auto body = static_cast<std::size_t>(got);
      if (one.left == 0) {
        one.head.append(buffer.data(), std::min<std::size_t>(body, 8192));
        std::size_t length = 0;
        const auto head = head_of(one.head, length);
        if (head == 0) continue;
        if (length != bytes) throw std::runtime_error("refused: " + one.head);
        one.left = length;
        body -= head;
      }
      one.left -= body;
      if (one.left > 0) continue;
      one.seconds = since(begin);
      ::close(sockets[which]);
      --running;
    }
  }
  ::close(epoll);
  std::vector<double> seconds;
  for (const auto& one : all) seconds.push_back(one.seconds);
  return seconds;
}

std::vector<double> read_together(std::uint16_t port, const std::string& name,
                                  std::size_t connections, std::size_t bytes) {
  std::vector<int> sockets;
  for (std::size_t i = 0; i < connections; ++i) {
    sockets.push_back(connect_to(port));
    if (sockets.back() < 0) broken("no connection");
  }
  const auto request = request_for(name);
  return read_to_end(sockets, bytes, true, [&] {
    for (const int fd : sockets) {
      if (::send(fd, request.data(), request.size(), MSG_NOSIGNAL) < 0) {
        broken("a request could not be sent");
      }
    }
  });
}

double ask_again_and_again(std::uint16_t port, const std::string& name,
                           std::size_t connections, double seconds) {
  const int epoll = ::epoll_create1(0);
  const auto request = request_for(name);
  std::vector<std::string> waiting(65536);
  std::vector<int> all;
  for (std::size_t i = 0; i < connections; ++i) {
    const int fd = connect_to(port);
    if (fd < 0) broken("no connection");
    all.push_back(fd);
    epoll_event event{};
    event.events = EPOLLIN;
    event.data.fd = fd;
    ::epoll_ctl(epoll, EPOLL_CTL_ADD, fd, &event);
    ::send(fd, request.data(), request.size(), MSG_NOSIGNAL);
  }
  const auto begin = Clock::now();
  std::size_t answered = 0;
  std::array<char, 65536> buffer;
  std::array<epoll_event, 256> events;
  while (since(begin) < seconds) {
    const int count = ::epoll_wait(epoll, events.data(), events.size(), 5000);
    if (count <= 0) throw std::runtime_error("nothing comes any more");
    for (int i = 0; i < count; ++i) {
      const int fd = events[static_cast<std::size_t>(i)].data.fd;
      const auto got = ::recv(fd, buffer.data(), buffer.size(), 0);
      if (got <= 0) broken("an answer broke off");
      auto& text = waiting[static_cast<std::size_t>(fd)];
      text.append(buffer.data(), static_cast<std::size_t>(got));
      std::size_t length = 0;
      const auto head = head_of(text, length);
      if (head == 0 || text.size() < head + length) continue;
      if (!text.starts_with("HTTP/1.1 200")) throw std::runtime_error("refused: " + text);
      text.erase(0, head + length);
      ++answered;
      ::send(fd, request.data(), request.size(), MSG_NOSIGNAL);
    }
  }
  const auto took = since(begin);
  for (const int fd : all) ::close(fd);
  ::close(epoll);
  return static_cast<double>(answered) / took;
}

double put(std::uint16_t port, const std::string& name, std::size_t bytes) {
  const int fd = connect_to(port);
  if (fd < 0) broken("no connection");
  // Binary, as images are, and others' bytes under another name.
  std::vector<char> piece(1 << 20, '\0');
  std::copy(name.begin(), name.end(), piece.begin());
  const auto begin = Clock::now();
  const auto head = fmt::format(
      "PUT /{} HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: {}\r\n\r\n", name, bytes);
  ::send(fd, head.data(), head.size(), MSG_NOSIGNAL);
  for (std::size_t left = bytes; left > 0;) {
    const auto sent =
        ::send(fd, piece.data(), std::min(left, piece.size()), MSG_NOSIGNAL);
    if (sent <= 0) broken("an upload broke off");
    left -= static_cast<std::size_t>(sent);
  }
  std::array<char, 4096> answer{};
  const auto got = ::recv(fd, answer.data(), answer.size(), 0);
  const auto took = since(begin);
  ::close(fd);
  if (got <= 0 || std::string_view(answer.data()).substr(9, 3) != "201") {
    throw std::runtime_error("an upload was refused: " + std::string(answer.data()));
  }
  return took;
}

}  // namespace vantro::bench
