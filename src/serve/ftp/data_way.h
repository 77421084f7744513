// How a data connection is set up: a listening port, or a connection to the client.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <utility>

#include "base/address.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "net/event_loop.h"

namespace vantro::serve::ftp {

using Ports = std::pair<std::uint16_t, std::uint16_t>;  // first and last

// For the loop's thread; `loop` must outlive it.
class DataWay final : public net::EventLoop::Source {
 public:
  using Come = std::function<void(base::UniqueFd)>;
  using Failed = std::function<void(const std::string& why)>;
  using Stranger = std::function<void(const base::Endpoint&)>;

  // A port on the address that the control connection uses here, out of `ports` or any. A
  // connection is accepted from the control connection's peer only; `stranger` gets
  // others. kBusy if no port is free.
  static base::Outcome<std::unique_ptr<DataWay>> listen(net::EventLoop& loop,
                                                        const base::Endpoint& local,
                                                        const base::Address& peer,
                                                        const std::optional<Ports>& ports,
                                                        Stranger stranger);
  // A connection to the client, from the port below the control connection's if the
  // system allows it (RFC 959, 3.2), which simple firewalls expect.
  static base::Outcome<std::unique_ptr<DataWay>> connect(net::EventLoop& loop,
                                                         const base::Endpoint& local,
                                                         const base::Endpoint& to);
  ~DataWay() override;

  // Its listening address.
  const base::Endpoint& local() const { return local_; }
  // Calls one of the two, once; perhaps at once. It may be destroyed in the call.
  void when_come(Come come, Failed failed);

  void readable() override;
  void writable() override;
  void broken() override;

 private:
  explicit DataWay(net::EventLoop& loop) : loop_(loop) {}
  bool watch(bool outgoing);
  void forget();
  void settle(base::UniqueFd socket, std::string why);
  void connected();

  net::EventLoop& loop_;
  base::UniqueFd socket_;  // listening, or connecting
  std::optional<net::EventLoop::Id> watched_;
  bool outgoing_ = false;
  base::Address peer_;
  base::Endpoint local_;
  Stranger stranger_;
  Come come_;
  Failed failed_;
  base::UniqueFd data_;  // connected, but nobody has asked yet
  std::string why_;      // failed, but nobody has asked yet
};

}  // namespace vantro::serve::ftp
