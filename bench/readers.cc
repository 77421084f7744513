#include "bench/readers.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <csignal>
#include <fmt/format.h>
#include <netinet/in.h>
#include <netinet/udp.h>
#include <stdexcept>
#include <sys/epoll.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/time.h>
#include <sys/wait.h>
#include <unistd.h>
#include <utility>

namespace vantro::bench {
namespace {

using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

sockaddr_in loopback(std::uint32_t host, std::uint16_t port) {
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_port = htons(port);
  address.sin_addr.s_addr = htonl(host);
  return address;
}

int client_socket(std::uint32_t host, bool blocking) {
  const int fd = ::socket(AF_INET, SOCK_DGRAM | (blocking ? 0 : SOCK_NONBLOCK), 0);
  const auto own = loopback(host, 0);
  if (fd < 0 || ::bind(fd, reinterpret_cast<const sockaddr*>(&own), sizeof own) != 0) {
    throw std::runtime_error("a reader's socket can't be bound");
  }
  const timeval patience{5, 0};
  ::setsockopt(fd, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
  const int size = 4 << 20;
  if (blocking) ::setsockopt(fd, SOL_SOCKET, SO_RCVBUFFORCE, &size, sizeof size);
  return fd;
}

void append(std::vector<std::uint8_t>& to, const std::string& text) {
  to.insert(to.end(), text.begin(), text.end());
  to.push_back(0);
}

std::vector<std::uint8_t> request(bool write, const std::string& name,
                                  std::size_t block_size, std::size_t window) {
  std::vector<std::uint8_t> bytes{0, static_cast<std::uint8_t>(write ? 2 : 1)};
  append(bytes, name);
  append(bytes, "octet");
  append(bytes, "blksize");
  append(bytes, std::to_string(block_size));
  if (window > 1) {
    append(bytes, "windowsize");
    append(bytes, std::to_string(window));
  }
  return bytes;
}

void send_to(int fd, const sockaddr_in& to, const void* bytes, std::size_t size) {
  ::sendto(fd, bytes, size, 0, reinterpret_cast<const sockaddr*>(&to), sizeof to);
}

void send_ack(int fd, const sockaddr_in& to, std::uint16_t block) {
  const std::array<std::uint8_t, 4> ack{0, 4, static_cast<std::uint8_t>(block >> 8),
                                        static_cast<std::uint8_t>(block)};
  send_to(fd, to, ack.data(), ack.size());
}

void send_end(int fd, const sockaddr_in& to) {
  const std::array<std::uint8_t, 6> error{0, 5, 0, 0, 'x', 0};
  send_to(fd, to, error.data(), error.size());
}

[[noreturn]] void fail(const std::uint8_t* datagram, ssize_t size) {
  if (size < 0) throw std::runtime_error("the server went silent");
  throw std::runtime_error(
      "the server refuses: " +
      std::string(reinterpret_cast<const char*>(datagram) + 4,
                  static_cast<std::size_t>(std::max<ssize_t>(0, size - 5))));
}

class Descriptor {
 public:
  explicit Descriptor(int fd) : fd_(fd) {}
  ~Descriptor() { ::close(fd_); }
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  operator int() const { return fd_; }

 private:
  int fd_;
};

}  // namespace

double read_alone(const Target& target, std::size_t block_size, std::size_t window,
                  std::size_t blocks) {
  const Descriptor fd(client_socket(INADDR_LOOPBACK, true));
  auto server = loopback(INADDR_LOOPBACK, target.port);
  const auto ask = request(false, target.name, block_size, window);
  send_to(fd, server, ask.data(), ask.size());
  std::vector<std::uint8_t> buffer(66'000);
  std::uint64_t expected = 1;
  Clock::time_point begin;
  while (true) {
    socklen_t length = sizeof server;
    const auto size = ::recvfrom(fd, buffer.data(), buffer.size(), 0,
                                 reinterpret_cast<sockaddr*>(&server), &length);
    if (size < 4 || buffer[1] == 5) fail(buffer.data(), size);
    if (buffer[1] == 6) {
      send_ack(fd, server, 0);
      continue;
    }
    const auto block = static_cast<std::uint16_t>(buffer[2] << 8 | buffer[3]);
    if (block != static_cast<std::uint16_t>(expected)) continue;
    if (expected == 1) begin = Clock::now();
    if (expected >= blocks && expected % window == 0) break;
    if (expected % window == 0) send_ack(fd, server, block);
    ++expected;
  }
  const auto took = seconds_since(begin);
  send_end(fd, server);
  return took;
}

ManyResult read_together(const Target& target, std::size_t readers,
                         std::size_t block_size, std::size_t window, std::size_t blocks,
                         bool cheap) {
  struct Reader {
    int fd = -1;
    sockaddr_in server{};
    std::uint64_t expected = 1;
    double done = 0;
    bool ready = false;
  };
  std::vector<Reader> all(readers);
  const Descriptor loop(::epoll_create1(0));
  for (std::size_t i = 0; i < readers; ++i) {
    auto& reader = all[i];
    // 250 hosts to a network.
    const auto host = static_cast<std::uint32_t>(0x7f010001 + (i / 250) * 256 + i % 250);
    reader.fd = client_socket(host, false);
    const int on = 1;
    if (cheap) ::setsockopt(reader.fd, IPPROTO_UDP, UDP_GRO, &on, sizeof on);
    reader.server = loopback(INADDR_LOOPBACK, target.port);
    epoll_event event{};
    event.events = EPOLLIN;
    event.data.u64 = i;
    ::epoll_ctl(loop, EPOLL_CTL_ADD, reader.fd, &event);
  }
  ManyResult result;
  std::vector<std::uint8_t> buffer(66'000);
  const auto ask = request(false, target.name, block_size, window);
  // All transfers are open before the time begins: every reader holds its first block, or
  // with windows the answer to its options.
  const auto room = cheap ? 8 : buffer.size();
  bool begun = false;
  std::size_t ready = 0;
  std::size_t left = readers;
  std::array<epoll_event, 256> events;
  const auto take = [&](std::size_t i) {
    auto& reader = all[i];
    socklen_t length = sizeof reader.server;
    const auto size = ::recvfrom(reader.fd, buffer.data(), room, MSG_TRUNC,
                                 reinterpret_cast<sockaddr*>(&reader.server), &length);
    if (size < 4) return false;
    if (buffer[1] == 5) fail(buffer.data(), size);
    if (buffer[1] == 6) {
      if (window > 1) return !begun;
      send_ack(reader.fd, reader.server, 0);
      return false;
    }
    const auto block = static_cast<std::uint16_t>(buffer[2] << 8 | buffer[3]);
    if (block != static_cast<std::uint16_t>(reader.expected)) {
      ++result.resent;
      return false;
    }
    if (!begun) return true;
    const auto one = block_size + 4;
    reader.expected += (static_cast<std::size_t>(size) + one - 1) / one;
    return (reader.expected - 1) % window == 0;
  };
  // False if nothing came for so long.
  const auto wait = [&](int milliseconds, auto each) {
    const int count = ::epoll_wait(loop, events.data(), events.size(), milliseconds);
    for (int i = 0; i < count; ++i) each(events[static_cast<std::size_t>(i)].data.u64);
    return count > 0;
  };
  const auto open_by = Clock::now() + std::chrono::seconds(30);
  std::size_t asked = 0;
  while (ready < readers) {
    for (; asked < readers && asked < ready + 100; ++asked) {
      send_to(all[asked].fd, all[asked].server, ask.data(), ask.size());
    }
    if (Clock::now() > open_by) throw std::runtime_error("the server went silent");
    const bool heard = wait(300, [&](std::size_t i) {
      // The first block comes again while the others are still being opened.
      if (take(i) && !std::exchange(all[i].ready, true)) ++ready;
    });
    // A request that was lost is sent again, as any client does.
    for (std::size_t i = 0; i < asked && !heard; ++i) {
      auto& reader = all[i];
      const auto listener = loopback(INADDR_LOOPBACK, target.port);
      if (!reader.ready) send_to(reader.fd, listener, ask.data(), ask.size());
    }
  }
  const auto begin = Clock::now();
  begun = true;
  for (auto& reader : all) {
    if (window == 1) ++reader.expected;
    send_ack(reader.fd, reader.server, static_cast<std::uint16_t>(reader.expected - 1));
  }
  while (left > 0) {
    const bool heard = wait(5000, [&](std::size_t i) {
      auto& reader = all[i];
      if (!take(i)) return;
      if (reader.expected > blocks) {
        reader.done = seconds_since(begin);
        --left;
        send_end(reader.fd, reader.server);
        return;
      }
      send_ack(reader.fd, reader.server, static_cast<std::uint16_t>(reader.expected - 1));
    });
    if (!heard) throw std::runtime_error("the server went silent");
  }
  std::vector<double> times;
  for (const auto& reader : all) {
    ::close(reader.fd);
    times.push_back(reader.done);
  }
  std::sort(times.begin(), times.end());
  result.slowest = result.seconds = times.back();
  result.median = times[times.size() / 2];
  return result;
}

WaitingReaders::WaitingReaders(const Target& target, std::size_t readers,
                               std::size_t block_size) {
  const auto ask = request(false, target.name, block_size, 1);
  std::vector<std::uint8_t> buffer(66'000);
  for (std::size_t i = 0; i < readers; ++i) {
    const auto host = static_cast<std::uint32_t>(0x7f020001 + (i / 250) * 256 + i % 250);
    const int fd = client_socket(host, true);
    sockets_.push_back(fd);
    auto server = loopback(INADDR_LOOPBACK, target.port);
    send_to(fd, server, ask.data(), ask.size());
    for (bool waiting = true; waiting;) {
      socklen_t length = sizeof server;
      const auto size = ::recvfrom(fd, buffer.data(), buffer.size(), 0,
                                   reinterpret_cast<sockaddr*>(&server), &length);
      if (size < 4 || buffer[1] == 5) fail(buffer.data(), size);
      waiting = buffer[1] == 6;
      if (waiting) send_ack(fd, server, 0);
    }
    ::connect(fd, reinterpret_cast<const sockaddr*>(&server), sizeof server);
  }
}

WaitingReaders::~WaitingReaders() {
  const std::array<std::uint8_t, 6> error{0, 5, 0, 0, 'x', 0};
  for (const int fd : sockets_) {
    ::send(fd, error.data(), error.size(), 0);
    ::close(fd);
  }
}

WriteResult write_alone(const Target& target, std::size_t block_size, std::size_t window,
                        std::size_t bytes) {
  const Descriptor fd(client_socket(INADDR_LOOPBACK, true));
  auto server = loopback(INADDR_LOOPBACK, target.port);
  const auto ask = request(true, target.name, block_size, window);
  std::vector<std::uint8_t> block(block_size + 4, 'v');
  std::array<std::uint8_t, 600> in;
  const auto receive = [&] {
    socklen_t length = sizeof server;
    const auto size = ::recvfrom(fd, in.data(), in.size(), 0,
                                 reinterpret_cast<sockaddr*>(&server), &length);
    if (size < 4 || in[1] == 5) fail(in.data(), size);
    return static_cast<std::uint16_t>(in[2] << 8 | in[3]);
  };
  const std::uint64_t full = bytes / block_size;
  const auto begin = Clock::now();
  WriteResult result;
  send_to(fd, server, ask.data(), ask.size());
  receive();
  std::uint64_t acknowledged = 0;
  while (acknowledged < full) {
    const auto until = std::min<std::uint64_t>(full, acknowledged + window);
    for (auto next = acknowledged + 1; next <= until; ++next) {
      block[0] = 0;
      block[1] = 3;
      block[2] = static_cast<std::uint8_t>(next >> 8);
      block[3] = static_cast<std::uint8_t>(next);
      // Different bytes each time, so that the vault has something new to keep.
      block[4 + next % block_size] = static_cast<std::uint8_t>(next * 31 + bytes);
      send_to(fd, server, block.data(), block.size());
    }
    // The window that holds the last full block ends with the short one.
    if (until == full && (full - acknowledged) < window) break;
    const auto ack = receive();
    acknowledged +=
        static_cast<std::uint16_t>(ack - static_cast<std::uint16_t>(acknowledged));
  }
  result.to_last_block = seconds_since(begin);
  const auto last = full + 1;
  const std::array<std::uint8_t, 4> empty{0, 3, static_cast<std::uint8_t>(last >> 8),
                                          static_cast<std::uint8_t>(last)};
  send_to(fd, server, empty.data(), empty.size());
  while (receive() != static_cast<std::uint16_t>(last)) {
  }
  result.to_last_ack = seconds_since(begin);
  return result;
}

Garbage::Garbage(std::uint16_t port, double per_second) : child_(::fork()) {
  if (child_ < 0) throw std::runtime_error("no child can be started");
  if (child_ != 0) return;
  ::prctl(PR_SET_PDEATHSIG, SIGKILL);
  const int fd = client_socket(0x7f030001, false);
  const auto server = loopback(INADDR_LOOPBACK, port);
  const std::array<std::uint8_t, 64> garbage{0xff, 0xfe, 1, 2, 3};
  const auto begin = Clock::now();
  for (std::uint64_t sent = 0;;) {
    const auto due = static_cast<std::uint64_t>(seconds_since(begin) * per_second);
    for (; sent < due; ++sent) send_to(fd, server, garbage.data(), garbage.size());
    ::usleep(500);
  }
}

Garbage::~Garbage() {
  ::kill(child_, SIGKILL);
  ::waitpid(child_, nullptr, 0);
}

}  // namespace vantro::bench
