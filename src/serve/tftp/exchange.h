// One TFTP transfer on its lane: the socket for its answers, and its pump once the gate
// has agreed. On the lane's thread, except for its last reference.
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <utility>

#include "net/event_loop.h"
#include "serve/tftp/pump.h"
#include "serve/tftp/shared.h"
#include "serve/tftp/timetable.h"
#include "serve/tftp/udp_socket.h"
#include "wire/tftp/packet.h"

namespace vantro::serve::tftp {

// The peer, and the address and port that it asked.
using ExchangeKey = std::pair<base::Endpoint, base::Endpoint>;

// One for all sockets of a lane: each reads when it has its turn.
std::array<std::uint8_t, 65536>& receive_buffer();

base::ByteBuffer error_packet(wire::tftp::ErrorCode code, std::string text);

// For ports and jitter; not for secrets.
std::uint64_t chance();

class Exchange final : public Transport,
                       public net::EventLoop::Source,
                       public std::enable_shared_from_this<Exchange> {
 public:
  // `listening` is the socket to answer from, or null for one of its own. It, `shared`
  // and `timetable` must be there until close().
  Exchange(Shared& shared, std::shared_ptr<net::EventLoop> loop, Timetable& timetable,
           const UdpSocket* listening, ExchangeKey key, std::string heard_on,
           wire::tftp::Request request);
  ~Exchange() override { close(); }

  // 0 or an errno.
  int open();
  // False if the socket cannot be watched.
  bool run(std::unique_ptr<wire::tftp::Session> session, std::shared_ptr<FileEnd> file);

  // From the peer. Datagrams to a socket of its own it receives itself.
  void datagram(base::ByteView bytes);
  void readable() override;
  void send(base::ByteView datagram) override { socket().send(route_, datagram); }
  void send(const wire::tftp::SendBlocks& blocks) override {
    socket().send(route_, blocks);
  }

  // Keeps its time in the timetable: now if the transfer is over, else not after its
  // deadline.
  void stepped() override;
  // After a look at it.
  void plan_again();

  // A transfer with the same peer that continues until this one has an answer.
  void set_before(std::shared_ptr<Exchange> before) { before_ = std::move(before); }
  std::shared_ptr<Exchange> take_before() { return std::exchange(before_, nullptr); }
  const std::shared_ptr<Exchange>& before() const { return before_; }

  // The device began again.
  void supersede();
  // It is useless from now on: closes the socket now, and the file end on the disk pool.
  void close();
  bool closed() const { return closed_; }

  const ExchangeKey& key() const { return key_; }
  const wire::tftp::Request& request() const { return request_; }
  const std::shared_ptr<Workers>& workers() const { return workers_; }
  gate::Asker asker() const { return {key_.first, "tftp", heard_on_}; }
  bool shares_port() const { return listening_ != nullptr; }
  bool heard() const { return heard_; }
  base::Instant heard_at() const { return heard_at_; }  // if the port is shared
  Pump* pump() { return pump_.get(); }                  // null until the gate has agreed

 private:
  const UdpSocket& socket() const {
    return listening_ != nullptr ? *listening_ : socket_;
  }
  void stranger(const Received& received);
  void plan(base::Instant when);

  Shared& shared_;
  std::shared_ptr<net::EventLoop> loop_;
  Timetable& timetable_;
  std::optional<Timetable::Entry> planned_;
  const UdpSocket* listening_;
  ExchangeKey key_;
  std::string heard_on_;
  wire::tftp::Request request_;
  UdpSocket socket_;
  Route route_;
  std::optional<net::EventLoop::Id> watched_;
  std::shared_ptr<Workers> workers_;
  std::shared_ptr<Pump> pump_;
  std::shared_ptr<Exchange> before_;
  base::Instant heard_at_{};
  int from_peer_ = 0;    // datagrams
  bool proven_ = false;  // the peer is where it says
  bool heard_ = false;
  bool closed_ = false;
};

}  // namespace vantro::serve::tftp
