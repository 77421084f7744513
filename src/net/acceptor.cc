#include "net/acceptor.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <sys/socket.h>

#include "net/socket_address.h"

namespace vantro::net {
namespace {

constexpr int kBacklog = 1024;
constexpr int kAcceptsInARow = 64;

}  // namespace

Acceptor::Acceptor(EventLoop& loop, std::string protocol, base::Log log,
                   Accepted accepted)
    : loop_(loop),
      protocol_(std::move(protocol)),
      log_(std::move(log)),
      accepted_(std::move(accepted)) {}

Acceptor::~Acceptor() { stop(); }

int Acceptor::listen(const base::Endpoint& where) {
  const bool v4 = where.address.is_v4();
  base::UniqueFd socket(
      ::socket(v4 ? AF_INET : AF_INET6, SOCK_STREAM | SOCK_NONBLOCK | SOCK_CLOEXEC, 0));
  if (!socket) return errno;
  const int on = 1;
  ::setsockopt(socket.get(), SOL_SOCKET, SO_REUSEADDR, &on, sizeof on);
  if (!v4) {
    // The IPv4 addresses have a listener of their own.
    ::setsockopt(socket.get(), IPPROTO_IPV6, IPV6_V6ONLY, &on, sizeof on);
  }
  const SocketAddress address(where);
  if (::bind(socket.get(), address.get(), address.size) != 0) return errno;
  if (::listen(socket.get(), kBacklog) != 0) return errno;
  local_ = local_endpoint(socket.get());
  socket_ = std::move(socket);
  return 0;
}

bool Acceptor::start() {
  watched_ = loop_.watch(socket_.get(), *this);
  return watched_.has_value();
}

void Acceptor::stop() {
  if (watched_) loop_.forget(*watched_, socket_.get());
  watched_.reset();
  paused_until_.reset();
  socket_.reset();
}

void Acceptor::pause(int error) {
  if (!said_) {
    log_.warning("no more connections can be accepted for now",
                 {{"protocol", protocol_},
                  {"listener", local_.text()},
                  {"why", std::strerror(error)}});
  }
  said_ = true;
  if (watched_) loop_.forget(*watched_, socket_.get());
  watched_.reset();
  last_pause_ = std::chrono::steady_clock::now();
  paused_until_ = last_pause_ + next_pause_;
  next_pause_ = std::min(next_pause_ * 2, kLongestPause);
}

bool Acceptor::tick(base::Instant now) {
  if (!paused_until_) {
    if (said_ && now - last_pause_ > kCalm) {
      log_.info("connections are accepted again",
                {{"protocol", protocol_}, {"listener", local_.text()}});
      said_ = false;
      next_pause_ = kFirstPause;
    }
    return false;
  }
  if (now < *paused_until_) return true;
  paused_until_.reset();
  if (!start()) pause(errno);
  return paused_until_.has_value();
}

void Acceptor::readable() {
  for (int i = 0; i < kAcceptsInARow && socket_; ++i) {
    sockaddr_storage peer{};
    socklen_t size = sizeof peer;
    base::UniqueFd socket(::accept4(socket_.get(), reinterpret_cast<sockaddr*>(&peer),
                                    &size, SOCK_NONBLOCK | SOCK_CLOEXEC));
    if (!socket) {
      const int error = errno;
      if (error == EMFILE || error == ENFILE || error == ENOBUFS || error == ENOMEM) {
        pause(error);
      }
      // Any other error belongs to that one connection (accept(2)).
      return;
    }
    const int on = 1;
    ::setsockopt(socket.get(), IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
    sockaddr_storage own{};
    socklen_t own_size = sizeof own;
    base::Endpoint local = local_;
    if (::getsockname(socket.get(), reinterpret_cast<sockaddr*>(&own), &own_size) == 0) {
      local = endpoint_of(&own, own_size);
    }
    accepted_(std::move(socket), endpoint_of(&peer, size), local);
  }
}

}  // namespace vantro::net
