// TFTP over UDP sockets (RFC 1350, 2347, 2348, 2349, 7440), on as many threads as wanted.
//
// Every thread is a lane of its own: it has a socket on each listening address, which the
// kernel keeps the same for all datagrams of one peer and port, and it runs the transfers
// that are asked for there from their first datagram to their last.
#pragma once

#include <atomic>
#include <boost/asio/io_context.hpp>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <thread>
#include <tl/expected.hpp>
#include <utility>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/log.h"
#include "gate/gate.h"
#include "serve/bind_failure.h"
#include "wire/tftp/negotiation.h"
#include "wire/tftp/session.h"

namespace vantro::serve::tftp {

// Where answers leave from.
struct ReplyPorts {
  // From the port that was asked, for firewalls that let nothing else through. The
  // transfers of a peer are then told apart by its port alone.
  bool listening_port = false;
  // Else from a port of this range; nothing: from any.
  std::optional<std::pair<std::uint16_t, std::uint16_t>> range;
};

struct Config {
  std::vector<base::Endpoint> listen;
  ReplyPorts reply_ports;
  wire::tftp::Patience patience;
  wire::tftp::Ceiling ceiling;
  std::size_t threads = 2;
};

// Where work runs that waits for the disk. `filing`: of uploads; as many are filed
// together as it has threads.
struct Pools {
  boost::asio::io_context& disk;
  boost::asio::io_context& filing;
};

class Lane;
struct Shared;

class Server {
 public:
  // All of them must outlive the server, and the pools' work must be joined before the
  // gate goes.
  Server(Pools pools, gate::Gate& gate, const base::Clock& clock, base::Log log,
         Config config);
  // Ends what still runs.
  ~Server();
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;

  // Every listener or none; but on a system without IPv6 the listener on all of its
  // addresses ([::]) is left out if there is another one.
  tl::expected<void, BindFailure> bind();
  // Where it really listens (a configured port of 0 becomes the one that was given).
  std::vector<base::Endpoint> listening() const;
  // After bind(): starts the threads.
  void start();

  // Ends the threads. What still runs is ended by the destructor.
  void stop();

  // Takes no more requests. Running transfers may go on for `grace`; what then still runs
  // is ended with an error that says `why`. `finished` is called when the last has ended,
  // on one of the server's threads. Once, after start().
  void drain(base::Duration grace, std::string why, std::function<void()> finished);

 private:
  std::unique_ptr<Shared> shared_;
  std::vector<std::unique_ptr<Lane>> lanes_;
  std::vector<std::thread> threads_;
  std::atomic<std::size_t> lanes_to_drain_ = 0;
};

}  // namespace vantro::serve::tftp
