#include "serve/ftp/data_way.h"

#include <cerrno>
#include <cstring>
#include <fmt/format.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <sys/socket.h>

#include "crypto/secret.h"
#include "net/socket_address.h"

namespace vantro::serve::ftp {
namespace {

using base::Kind;

base::UniqueFd new_socket(const base::Address& address) {
  return base::UniqueFd(::socket(address.is_v4() ? AF_INET : AF_INET6,
                                 SOCK_STREAM | SOCK_NONBLOCK | SOCK_CLOEXEC, 0));
}

bool bind_to(int socket, const base::Endpoint& where) {
  const net::SocketAddress address(where);
  return ::bind(socket, address.get(), address.size) == 0;
}

void set_on(int socket, int level, int option) {
  const int on = 1;
  ::setsockopt(socket, level, option, &on, sizeof on);
}

}  // namespace

base::Outcome<std::unique_ptr<DataWay>> DataWay::listen(net::EventLoop& loop,
                                                        const base::Endpoint& local,
                                                        const base::Address& peer,
                                                        const std::optional<Ports>& ports,
                                                        Stranger stranger) {
  std::unique_ptr<DataWay> way(new DataWay(loop));
  way->peer_ = peer;
  way->stranger_ = std::move(stranger);
  const std::uint32_t first = ports ? ports->first : 0;
  const std::uint32_t count = ports ? ports->second - ports->first + 1u : 1;
  // Not in a row: a port that can be guessed can be taken by another (RFC 2577, 8).
  const auto begin = crypto::random_below(count);
  for (std::uint32_t i = 0; i < count; ++i) {
    way->socket_ = new_socket(local.address);
    if (!way->socket_) break;
    auto where = local;
    where.port = static_cast<std::uint16_t>(first + (begin + i) % count);
    // A range is reused before the system has forgotten its last connections.
    set_on(way->socket_.get(), SOL_SOCKET, SO_REUSEADDR);
    if (bind_to(way->socket_.get(), where) && ::listen(way->socket_.get(), 2) == 0) {
      way->local_ = net::local_endpoint(way->socket_.get());
      if (way->watch(false)) return way;
      break;
    }
    if (errno != EADDRINUSE) break;
  }
  if (errno == EADDRINUSE && ports) {
    return base::refuse(
        Kind::kBusy, fmt::format("no port from {} to {} is free; try again in a moment",
                                 ports->first, ports->second));
  }
  return base::refuse(
      base::system_refusal(errno, "no port can be opened for a data connection"));
}

base::Outcome<std::unique_ptr<DataWay>> DataWay::connect(net::EventLoop& loop,
                                                         const base::Endpoint& local,
                                                         const base::Endpoint& to) {
  std::unique_ptr<DataWay> way(new DataWay(loop));
  const net::SocketAddress address(to);
  for (const auto port : {static_cast<std::uint16_t>(local.port - 1), std::uint16_t{0}}) {
    way->socket_ = new_socket(to.address);
    if (!way->socket_) break;
    auto from = local;
    from.port = port;
    set_on(way->socket_.get(), SOL_SOCKET, SO_REUSEADDR);
    if (!bind_to(way->socket_.get(), from)) continue;
    if (::connect(way->socket_.get(), address.get(), address.size) == 0 ||
        errno == EINPROGRESS) {
      if (way->watch(true)) return way;
      break;
    }
    // The same pair of ports was used a moment ago: another port will do.
    if (errno != EADDRNOTAVAIL && errno != EADDRINUSE) break;
  }
  return base::refuse(base::system_refusal(
      errno, fmt::format("no connection can be made to {}", to.text())));
}

DataWay::~DataWay() { forget(); }

bool DataWay::watch(bool outgoing) {
  outgoing_ = outgoing;
  watched_ = loop_.watch(socket_.get(), *this, {!outgoing, outgoing});
  return watched_.has_value();
}

void DataWay::forget() {
  if (watched_) loop_.forget(*watched_, socket_.get());
  watched_.reset();
}

void DataWay::when_come(Come come, Failed failed) {
  come_ = std::move(come);
  failed_ = std::move(failed);
  if (data_ || !why_.empty()) settle(std::move(data_), std::move(why_));
}

void DataWay::settle(base::UniqueFd socket, std::string why) {
  forget();
  socket_.reset();
  if (!come_) {
    data_ = std::move(socket);
    why_ = std::move(why);
    return;
  }
  const auto come = std::move(come_);
  const auto failed = std::move(failed_);
  if (socket) {
    set_on(socket.get(), IPPROTO_TCP, TCP_NODELAY);
    come(std::move(socket));
  } else {
    failed(why);
  }
}

void DataWay::readable() {
  if (outgoing_) return connected();
  while (socket_) {
    sockaddr_storage from{};
    socklen_t size = sizeof from;
    base::UniqueFd socket(::accept4(socket_.get(), reinterpret_cast<sockaddr*>(&from),
                                    &size, SOCK_NONBLOCK | SOCK_CLOEXEC));
    if (!socket) {
      const int error = errno;
      if (error == EMFILE || error == ENFILE || error == ENOBUFS || error == ENOMEM) {
        settle({}, fmt::format("the server can't receive it: {}", std::strerror(error)));
        return;
      }
      // Any other error belongs to that one connection (accept(2)).
      return;
    }
    const auto peer = net::endpoint_of(&from, size);
    if (peer.address == peer_) {
      settle(std::move(socket), "");
      return;
    }
    stranger_(peer);
  }
}

void DataWay::writable() { connected(); }
void DataWay::broken() { readable(); }

void DataWay::connected() {
  int error = 0;
  socklen_t size = sizeof error;
  ::getsockopt(socket_.get(), SOL_SOCKET, SO_ERROR, &error, &size);
  if (error != 0) {
    settle({}, std::strerror(error));
    return;
  }
  forget();
  settle(std::move(socket_), "");
}

}  // namespace vantro::serve::ftp
