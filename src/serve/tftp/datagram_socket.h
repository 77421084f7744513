// A UDP/IPv4 socket that knows which of its addresses a datagram was sent to.
#pragma once

#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/udp.hpp>
#include <optional>
#include <span>

#include "base/address.h"
#include "base/bytes.h"

namespace vantro::serve::tftp {

struct Received {
  base::Endpoint peer;
  base::Address to;      // the local address it was sent to
  base::ByteView bytes;  // in the caller's buffer
};

class DatagramSocket {
 public:
  explicit DatagramSocket(boost::asio::io_context& io) : socket_(io) {}

  // 0 or an errno.
  int open(const base::Endpoint& local);
  void close();
  base::Endpoint local() const;

  // Calls `ready` once when something can be received; not after close().
  template <class F>
  void when_readable(F ready) {
    socket_.async_wait(boost::asio::ip::udp::socket::wait_read, std::move(ready));
  }

  // Without waiting; nothing if nothing is there.
  std::optional<Received> receive(std::span<std::uint8_t> buffer);
  // Without waiting; lost if it can't go now.
  void send(const base::Endpoint& to, base::ByteView head, base::ByteView payload);

 private:
  boost::asio::ip::udp::socket socket_;
};

}  // namespace vantro::serve::tftp
