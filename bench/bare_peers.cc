#include "bench/bare_peers.h"

#include <array>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <netinet/in.h>
#include <netinet/udp.h>
#include <stdexcept>
#include <sys/epoll.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>
#include <vector>

namespace vantro::bench {
namespace {

int udp_socket(std::uint16_t port = 0) {
  const int fd = ::socket(AF_INET, SOCK_DGRAM, 0);
  const int size = 1 << 20;
  ::setsockopt(fd, SOL_SOCKET, SO_SNDBUFFORCE, &size, sizeof size);
  ::setsockopt(fd, SOL_SOCKET, SO_RCVBUFFORCE, &size, sizeof size);
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_port = htons(port);
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  if (::bind(fd, reinterpret_cast<sockaddr*>(&address), sizeof address) != 0) {
    throw std::runtime_error("a socket can't be bound");
  }
  return fd;
}

// The block that an ACK, or the request, asks for.
std::uint16_t wanted(const std::uint8_t* datagram) {
  if (datagram[1] == 1) return 1;
  return static_cast<std::uint16_t>((datagram[2] << 8 | datagram[3]) + 1);
}

void put_head(std::uint8_t* to, std::uint16_t block) {
  to[0] = 0;
  to[1] = 3;
  to[2] = static_cast<std::uint8_t>(block >> 8);
  to[3] = static_cast<std::uint8_t>(block);
}

[[noreturn]] void serve_windows(int fd, std::size_t block_size, std::size_t window,
                                const std::string& file) {
  const int source = file.empty() ? -1 : ::open(file.c_str(), O_RDONLY);
  const auto size = block_size + 4;
  std::vector<std::uint8_t> out(size * window);
  const auto at_once = window == 1 ? 1 : std::min<std::size_t>(64, 65'000 / size);
  std::array<std::uint8_t, 2048> in;
  std::size_t sent = 0;  // blocks, of the one reader at a time
  while (true) {
    sockaddr_in peer{};
    socklen_t length = sizeof peer;
    if (::recvfrom(fd, in.data(), in.size(), 0, reinterpret_cast<sockaddr*>(&peer),
                   &length) < 4) {
      continue;
    }
    if (in[1] == 5) continue;
    auto block = wanted(in.data());
    const auto offset = static_cast<off_t>(sent * block_size);
    sent = block == 1 ? window : sent + window;
    for (std::size_t i = 0; i < window; ++i) {
      put_head(&out[i * size], block++);
      if (source < 0) continue;
      if (::pread(source, &out[i * size + 4], block_size,
                  offset + static_cast<off_t>(i * block_size)) < 0) {
        std::abort();
      }
    }
    for (std::size_t i = 0; i < window; i += at_once) {
      const auto count = std::min(at_once, window - i);
      iovec part{&out[i * size], count * size};
      msghdr message{};
      message.msg_name = &peer;
      message.msg_namelen = length;
      message.msg_iov = &part;
      message.msg_iovlen = 1;
      alignas(cmsghdr) std::array<char, CMSG_SPACE(2)> control{};
      if (count > 1) {
        message.msg_control = control.data();
        message.msg_controllen = control.size();
        auto* header = CMSG_FIRSTHDR(&message);
        header->cmsg_level = IPPROTO_UDP;
        header->cmsg_type = UDP_SEGMENT;
        header->cmsg_len = CMSG_LEN(2);
        const auto segment = static_cast<std::uint16_t>(size);
        std::memcpy(CMSG_DATA(header), &segment, 2);
      }
      ::sendmsg(fd, &message, 0);
    }
  }
}

[[noreturn]] void serve_epoll(int listener, std::size_t block_size) {
  rlimit limit{};
  ::getrlimit(RLIMIT_NOFILE, &limit);
  limit.rlim_cur = limit.rlim_max;
  ::setrlimit(RLIMIT_NOFILE, &limit);
  const int loop = ::epoll_create1(0);
  const auto watch = [&](int fd) {
    epoll_event event{};
    event.events = EPOLLIN;
    event.data.fd = fd;
    ::epoll_ctl(loop, EPOLL_CTL_ADD, fd, &event);
  };
  watch(listener);
  std::vector<std::uint8_t> out(block_size + 4);
  std::array<std::uint8_t, 2048> in;
  std::array<epoll_event, 256> events;
  while (true) {
    const int count = ::epoll_wait(loop, events.data(), events.size(), -1);
    for (int i = 0; i < count; ++i) {
      int fd = events[static_cast<std::size_t>(i)].data.fd;
      sockaddr_in peer{};
      socklen_t length = sizeof peer;
      if (::recvfrom(fd, in.data(), in.size(), MSG_DONTWAIT,
                     reinterpret_cast<sockaddr*>(&peer), &length) < 4) {
        continue;
      }
      if (in[1] == 5) {
        ::close(fd);
        continue;
      }
      if (fd == listener) watch(fd = udp_socket());
      put_head(out.data(), wanted(in.data()));
      ::sendto(fd, out.data(), out.size(), MSG_DONTWAIT,
               reinterpret_cast<const sockaddr*>(&peer), length);
    }
  }
}

}  // namespace

template <class Serve>
BarePeer BarePeer::in_child(Serve serve) {
  const int fd = udp_socket();
  sockaddr_in address{};
  socklen_t length = sizeof address;
  ::getsockname(fd, reinterpret_cast<sockaddr*>(&address), &length);
  const pid_t child = ::fork();
  if (child < 0) throw std::runtime_error("no child can be started");
  if (child == 0) {
    ::prctl(PR_SET_PDEATHSIG, SIGKILL);
    serve(fd);
    ::_exit(0);
  }
  ::close(fd);
  return BarePeer(child, ntohs(address.sin_port));
}

BarePeer::~BarePeer() {
  ::kill(child_, SIGKILL);
  ::waitpid(child_, nullptr, 0);
}

BarePeer BarePeer::windowed(std::size_t block_size, std::size_t window,
                            const std::string& file) {
  return in_child([=](int fd) { serve_windows(fd, block_size, window, file); });
}

BarePeer BarePeer::epoll(std::size_t block_size) {
  return in_child([=](int fd) { serve_epoll(fd, block_size); });
}

BarePeer BarePeer::sink() {
  return in_child([](int) {
    while (true) ::pause();
  });
}

}  // namespace vantro::bench
