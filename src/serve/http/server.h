// HTTP/1.0 and 1.1 for devices (RFC 9110, 9112), and the same under TLS. Not the
// management API: here is what the gate lets devices see.
//
// One lane listens and hands connections out to all lanes in turn; each lane is a thread
// with its event loop, and a connection stays in its lane.
#pragma once

#include <atomic>
#include <boost/asio/thread_pool.hpp>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <thread>
#include <tl/expected.hpp>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/log.h"
#include "crypto/tls.h"
#include "gate/gate.h"
#include "serve/bind_failure.h"

namespace vantro::serve::http {

struct Config {
  std::vector<base::Endpoint> listen;
  std::vector<base::Endpoint> listen_tls;  // REQUIRES: tls, if there is one
  std::shared_ptr<crypto::TlsServer> tls;
  std::size_t threads = 2;
  std::size_t most_connections = 4000;
  std::size_t most_per_address = 256;
  base::Duration head_patience = std::chrono::seconds(20);   // for a whole head
  base::Duration idle_patience = std::chrono::seconds(60);   // between two requests
  base::Duration stall_patience = std::chrono::seconds(60);  // nothing moves in a body
};

class Lane;
struct Shared;

class Server {
 public:
  // All of them must outlive the server, and the pools' work must be joined before the
  // gate goes. `slow` takes what may last a minute, `doors` the looking at passwords.
  Server(boost::asio::thread_pool& disk, boost::asio::thread_pool& slow,
         boost::asio::thread_pool& doors, gate::Gate& gate, const base::Clock& clock,
         base::Log log, Config config);
  // Ends what still runs.
  ~Server();
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;

  // Every listener or none; but on a system without IPv6 a listener on all of its
  // addresses ([::]) is left out if there is another one.
  tl::expected<void, BindFailure> bind();
  // Where it really listens.
  std::vector<base::Endpoint> listening() const;
  std::vector<base::Endpoint> listening_tls() const;
  // After bind(): starts the threads.
  void start();

  // Takes no more connections and requests. Running transfers may go on for `grace`; what
  // then still runs is cut. `finished` is called on one of the server's threads. Once,
  // after start().
  void drain(base::Duration grace, std::function<void()> finished);
  // Ends the threads.
  void stop();

 private:
  std::shared_ptr<Shared> shared_;
  std::vector<std::unique_ptr<Lane>> lanes_;
  std::vector<std::thread> threads_;
  std::atomic<std::size_t> lanes_to_drain_ = 0;
};

}  // namespace vantro::serve::http
