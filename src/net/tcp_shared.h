// What the lanes of a server over TCP have in common. Thread-safe.
#pragma once

#include <atomic>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/log.h"
#include "base/mutex.h"
#include "base/unique_fd.h"
#include "crypto/tls.h"
#include "net/front.h"
#include "net/work_pool.h"

namespace vantro::net {

class Conversation;
class TcpLane;

// How many connections there may be, over all protocols. Thread-safe.
class ConnectionRoom {
 public:
  explicit ConnectionRoom(std::size_t most) : most_(most) {}
  bool take() {
    if (++taken_ <= most_) return true;
    --taken_;
    return false;
  }
  void give_back() { --taken_; }
  // From the next on.
  void limit(std::size_t most) { most_ = most; }

 private:
  std::atomic<std::size_t> most_;
  std::atomic<std::size_t> taken_ = 0;
};

// What a server works with. All of it must outlive the server, and the pool's work must
// be joined before what that work uses goes.
struct Services {
  WorkPool& disk;
  const base::Clock& clock;
  base::Log log;
  ConnectionRoom& room;
};

struct TcpConfig {
  std::vector<base::Endpoint> listen;
  std::vector<base::Endpoint> listen_tls;  // REQUIRES: tls, if there is one
  std::shared_ptr<crypto::TlsServer> tls;
  std::string tls_protocol = {};  // as crypto::TlsUse has it
  // A local socket (unix(7)) that listens, beside the others; none: null. It is taken by
  // bind().
  std::shared_ptr<base::UniqueFd> local = {};
  std::size_t threads = 2;
  // Of this protocol; and all share Services::room.
  std::size_t most_connections = 4000;
  std::size_t most_per_address = 256;
  // Of one IPv6 /64, in which one host has as many addresses as it likes.
  std::size_t most_per_network = 1024;
};

// A connection that has just come.
struct Accepted {
  base::UniqueFd socket;
  std::unique_ptr<crypto::TlsChannel> tls;  // null: in the clear
  base::Endpoint peer, local;
  std::string protocol;  // as TcpProtocol names it
  std::string heard_on;  // "192.0.2.10:80 on eth0"
  // Who is at the other end of a local socket, as the kernel tells (SO_PEERCRED); none:
  // it came over a network.
  std::optional<unsigned> local_user = {};
};

// In what the protocols over TCP differ.
struct TcpProtocol {
  std::string name;           // "http"
  std::string name_with_tls;  // where it listens under TLS
  // What else is spoken where it listens: SCP beside SFTP, say.
  std::vector<std::string> also = {};
  std::string no_room;  // said in the clear to a connection that there is no room for
  // Ends a connection that has led to nothing yet, for one that comes; false: there is
  // none. Must not wait. None: nobody has to go.
  std::function<bool()> make_room = {};
  // Told of an address that there was no room for. None: nobody wants to know.
  std::function<void(const base::Address&)> unanswered = {};
  // The one that speaks it, in the lane that it belongs to.
  std::function<std::shared_ptr<Conversation>(TcpLane& lane, Accepted accepted)> welcome;
};

struct TcpShared : Services {
  TcpShared(Services services, TcpConfig settings, TcpProtocol what)
      : Services(std::move(services)),
        config(std::move(settings)),
        protocol(std::move(what)),
        most_per_address_(config.most_per_address) {}

  // Room for one more connection of this address; give_back() when it has gone. False:
  // it was turned away.
  bool take_room(const base::Address& address);
  void give_back(const base::Address& address);
  // A connection that was there had to go for others. Not from within make_room().
  void turned_away(const base::Address& address);
  // Connections of one address, from the next on.
  void limit(std::size_t most_per_address) { most_per_address_ = most_per_address; }
  // Of any listener.
  void accepting_paused(bool paused) { paused_ = paused; }
  FrontStatus status() const;

  const TcpConfig config;
  const TcpProtocol protocol;

 private:
  // Over the limit, while those that have to go are leaving.
  static constexpr std::size_t kMostLeaving = 16;

  bool find_room(const base::Address& address) VANTRO_REQUIRES(mutex_);

  std::atomic<bool> paused_ = false;
  std::atomic<std::size_t> most_per_address_;
  mutable base::Mutex mutex_;
  std::size_t connections_ VANTRO_GUARDED_BY(mutex_) = 0;
  std::uint64_t turned_away_ VANTRO_GUARDED_BY(mutex_) = 0;
  std::map<base::Address, std::size_t> per_address_ VANTRO_GUARDED_BY(mutex_);
  std::map<base::Address, std::size_t> per_network_ VANTRO_GUARDED_BY(mutex_);  // IPv6
};

}  // namespace vantro::net
