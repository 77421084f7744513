// A server over TCP: one lane listens and hands connections out to all lanes in turn;
// each lane is a thread with its event loop, and a connection stays in its lane.
#pragma once

#include <atomic>
#include <functional>
#include <memory>
#include <thread>
#include <tl/expected.hpp>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "serve/bind_failure.h"
#include "serve/tcp_shared.h"

namespace vantro::serve {

class TcpServer {
 public:
  TcpServer(Services services, TcpConfig config, TcpProtocol protocol);
  // Ends what still runs.
  ~TcpServer();
  TcpServer(const TcpServer&) = delete;
  TcpServer& operator=(const TcpServer&) = delete;

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
  std::shared_ptr<TcpShared> shared_;
  std::vector<std::unique_ptr<TcpLane>> lanes_;
  std::vector<std::thread> threads_;
  std::atomic<std::size_t> lanes_to_drain_ = 0;
};

}  // namespace vantro::serve
