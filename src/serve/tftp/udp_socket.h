// A UDP socket over IPv4 or IPv6 that knows to which of its addresses and on which
// network interface a datagram arrived; and that sends the blocks of a window in as few
// system calls as the kernel allows. Never waits.
#pragma once

#include <netinet/in.h>
#include <optional>
#include <span>
#include <sys/socket.h>

#include "base/address.h"
#include "base/bytes.h"
#include "base/unique_fd.h"
#include "net/socket_address.h"
#include "wire/tftp/session.h"

namespace vantro::serve::tftp {

struct Received {
  base::Endpoint peer;
  base::Address to;             // the local address it was sent to
  std::uint32_t interface = 0;  // its index; 0: unknown
  base::ByteView bytes;         // in the caller's buffer
};

// The way for datagrams of one transfer, computed once.
class Route {
 public:
  explicit Route(const base::Endpoint& peer) : Route(peer, base::Address()) {}
  // `from` is their source address; unspecified: the socket's own.
  Route(const base::Endpoint& peer, const base::Address& from);

 private:
  friend class UdpSocket;
  net::SocketAddress to_;
  base::Address from_;
  bool segments_ = true;  // the kernel may cut a window into datagrams (udp(7))
};

class UdpSocket {
 public:
  // 0 or an errno. REQUIRES: not open.
  int open(const base::Endpoint& local);
  // Also, for the same address, by the next one; after open(). 0 or an errno.
  int share_port();
  // A further socket of a shared port. 0 or an errno.
  int open_shared(const base::Endpoint& local);
  void close() {
    fd_.reset();
    connected_ = false;
  }
  bool is_open() const { return fd_.get() >= 0; }
  int fd() const { return fd_.get(); }
  base::Endpoint local() const;

  // From now on only this peer's datagrams arrive, and all go to it: the kernel then
  // looks up the route once. 0 or an errno.
  int connect(const Route& peer);

  // Nothing if there is none. `to` and `interface` only if `wants_destination`.
  std::optional<Received> receive(std::span<std::uint8_t> buffer, bool wants_destination);

  // Lost like any datagram if they cannot be sent now: the sessions send them again.
  void send(const Route& route, base::ByteView datagram) const;
  void send(Route& route, const wire::tftp::SendBlocks& blocks) const;

 private:
  int open(const base::Endpoint& local, bool shared);
  void address(msghdr& message, const Route& route) const;

  base::UniqueFd fd_;
  bool v6_ = false;
  bool connected_ = false;
};

}  // namespace vantro::serve::tftp
