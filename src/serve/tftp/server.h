// TFTP over UDP sockets (RFC 1350, 2347, 2348, 2349).
//
// A request comes in on a listener; its transfer gets a socket of its own, bound to the
// address that was asked, so that the answers leave from there. The same request again
// from the same peer and port is the same transfer; another one from there replaces it.
//
// Everything here runs on the thread that runs the io_context, but for the disk work.
#pragma once

#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/udp.hpp>
#include <boost/asio/steady_timer.hpp>
#include <boost/asio/thread_pool.hpp>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/log.h"
#include "base/outcome.h"
#include "gate/gate.h"
#include "wire/tftp/packet.h"
#include "wire/tftp/session.h"

namespace vantro::serve::tftp {

struct Config {
  std::vector<base::Endpoint> listen;  // IPv4
  wire::tftp::Patience patience;
  std::size_t most_transfers = 2000;  // at once
};

// An operating-system refusal to listen: what main() explains in its own words.
struct BindFailure {
  base::Endpoint where;
  int error_number;
};

class Server {
 public:
  // All of them must outlive the server, and the disk pool's work must be joined before
  // the gate goes.
  Server(boost::asio::io_context& io, boost::asio::thread_pool& disk, gate::Gate& gate,
         const base::Clock& clock, base::Log log, Config config);
  ~Server();
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;

  // Every listener or none.
  tl::expected<void, BindFailure> bind();
  // Where it really listens (a configured port of 0 becomes the one that was given).
  std::vector<base::Endpoint> listening() const;
  // After bind().
  void start();

  // Takes no more requests. Running transfers may go on for `grace`; what then still runs
  // is ended with an error that says `why`. `finished` is called when the last has ended.
  void drain(base::Duration grace, std::string why, std::function<void()> finished);

 private:
  class Listener;
  class Active;
  // Peer, and the address and port it asked.
  using Key = std::pair<base::Endpoint, base::Endpoint>;

  void arrived(Listener& listener, const base::Endpoint& peer,
               const base::Endpoint& asked, base::ByteView datagram);
  void requested(Listener& listener, const Key& key, wire::tftp::Request request);
  void open(const std::shared_ptr<Active>& active);
  void granted_read(const std::shared_ptr<Active>& active,
                    base::Outcome<gate::ReadGrant> grant);
  void granted_write(const std::shared_ptr<Active>& active,
                     base::Outcome<gate::WriteGrant> grant);
  void refused(const std::shared_ptr<Active>& active, const base::Refusal& refusal);
  void arm_sweep();
  void sweep();

  boost::asio::io_context& io_;
  boost::asio::thread_pool& disk_;
  gate::Gate& gate_;
  const base::Clock& clock_;
  base::Log log_;
  Config config_;  // constant after construction
  std::vector<std::unique_ptr<Listener>> listeners_;
  std::map<Key, std::shared_ptr<Active>> active_;
  boost::asio::steady_timer sweep_timer_;
  bool sweep_armed_ = false;
  bool draining_ = false;
  base::Instant drain_until_{};
  std::string drain_why_;
  std::function<void()> drained_;
};

}  // namespace vantro::serve::tftp
