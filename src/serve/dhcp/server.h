// DHCP and BOOTP on one interface, as long as this object lives: the lease machine
// (wire/dhcp/lease_machine.h) over packet sockets, on a thread of its own.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <thread>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "net/event_loop.h"
#include "serve/dhcp/wire_socket.h"
#include "wire/dhcp/lease_machine.h"

namespace vantro::serve::dhcp {

class Server {
 public:
  // Called on the server's thread; must not wait.
  using Tell = std::function<void(const wire::dhcp::Told&)>;

  // kDenied without CAP_NET_RAW; kIo. The clock must outlive it.
  static base::Outcome<std::unique_ptr<Server>> open(const std::string& interface,
                                                     wire::dhcp::LeasePlan plan,
                                                     const base::Clock& clock, Tell tell);
  // Ends the thread and closes the sockets.
  ~Server();
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;

 private:
  class Source;

  Server(wire::dhcp::LeasePlan plan, base::LinkAddress own, const base::Clock& clock,
         Tell tell);
  void frame(const WireSocket::Frame& frame);
  void arp(const WireSocket::Frame& frame);
  void feed(const wire::dhcp::Event& event);

  wire::dhcp::LeaseMachine machine_;
  const base::Address server_;
  const base::LinkAddress own_;  // this machine's on the interface
  const base::Clock& clock_;
  const Tell tell_;
  std::shared_ptr<net::EventLoop> loop_;
  std::unique_ptr<Source> messages_, addresses_;
  base::UniqueFd port_;  // UDP 67, never read
  std::thread thread_;
};

// Asks for an address, and waits for answers: finds the other address servers on the
// network. Waits so long. kDenied without CAP_NET_RAW; kIo.
base::Outcome<std::vector<base::Address>> other_servers(const std::string& interface,
                                                        base::Duration wait);

// The permission to grant if a packet socket is refused.
base::Refusal wire_refusal(int error_number, const std::string& interface);

}  // namespace vantro::serve::dhcp
