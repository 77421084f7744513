// TFTP over UDP sockets (RFC 1350, 2347, 2348, 2349, 7440), on any number of threads.
//
// Every thread is a lane of its own: it has a socket on each listening address, which the
// kernel keeps the same for all datagrams of one peer and port, and it runs the transfers
// that are requested there from their first datagram to their last.
#pragma once

#include <atomic>
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
#include "base/mutex.h"
#include "gate/gate.h"
#include "net/front.h"
#include "net/work_pool.h"
#include "wire/tftp/negotiation.h"
#include "wire/tftp/session.h"

namespace vantro::serve::tftp {

// The source port of answers.
struct ReplyPorts {
  // From the port that was asked, for firewalls that let nothing else through. The
  // transfers of a peer are then distinguished by its port alone.
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

// Threads for work that waits for the disk. `filing`: of uploads; as many are filed
// together as it has threads.
struct Pools {
  net::WorkPool& disk;
  net::WorkPool& filing;
};

class Lane;
struct Shared;

class Server final : public net::Front {
 public:
  // All of them must outlive the server, and the pools' work must be joined before the
  // gate is destroyed.
  Server(Pools pools, gate::Gate& gate, const base::Clock& clock, base::Log log,
         Config config);
  // Ends everything that still runs.
  ~Server() override;
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;

  tl::expected<void, net::BindFailure> bind() override;
  std::vector<base::Listening> listening() const override;
  void start() override;
  tl::expected<void, net::BindFailure> change(const net::FrontTerms& terms) override;
  void drain(base::Duration grace, std::function<void()> finished) override;
  net::FrontStatus status() const override;
  void stop() override;

 private:
  int listen(const base::Endpoint& where);
  void note_listening();

  std::unique_ptr<Shared> shared_;
  std::vector<std::unique_ptr<Lane>> lanes_;
  std::vector<std::thread> threads_;
  std::atomic<std::size_t> lanes_to_drain_ = 0;
  std::vector<base::Endpoint> wanted_;  // as configured
  mutable base::Mutex mutex_;
  std::vector<base::Listening> listening_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::serve::tftp
