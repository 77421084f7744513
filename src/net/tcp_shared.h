// What the lanes of a TCP server share. Thread-safe.
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

// The limit on connections, over all protocols. Thread-safe.
class ConnectionRoom {
 public:
  explicit ConnectionRoom(std::size_t most) : most_(most) {}
  bool take() {
    if (++taken_ <= most_) return true;
    --taken_;
    return false;
  }
  void give_back() { --taken_; }
  // For new ones.
  void limit(std::size_t most) { most_ = most; }

 private:
  std::atomic<std::size_t> most_;
  std::atomic<std::size_t> taken_ = 0;
};

// What a server needs. All of it must outlive the server, and the pool's work must be
// joined before anything that it uses is destroyed.
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
  std::string tls_protocol = {};  // as in crypto::TlsUse
  // A listening local socket (unix(7)), beside the others; none: null. bind() takes it
  // over.
  std::shared_ptr<base::UniqueFd> local = {};
  std::size_t threads = 2;
  // Of this protocol; and all share Services::room.
  std::size_t most_connections = 4000;
  std::size_t most_per_address = 256;
  // Of one IPv6 /64, in which one host has any number of addresses.
  std::size_t most_per_network = 1024;
};

// A new connection.
struct Accepted {
  base::UniqueFd socket;
  std::unique_ptr<crypto::TlsChannel> tls;  // null: in the clear
  base::Endpoint peer, local;
  std::string protocol;  // in TcpProtocol's words
  std::string heard_on;  // "192.0.2.10:80 on eth0"
  // The user at the other end of a local socket, from the kernel (SO_PEERCRED); none: it
  // came over a network.
  std::optional<unsigned> local_user = {};
};

// The differences between the protocols over TCP.
struct TcpProtocol {
  std::string name;           // "http"
  std::string name_with_tls;  // its addresses under TLS
  // Other protocols on the same addresses: SCP beside SFTP, say.
  std::vector<std::string> also = {};
  std::string no_room;  // sent in the clear to a connection over the limit
  // Ends a connection that has led to nothing yet, for a new one; false: there is none.
  // Must not wait. None: nothing is ended.
  std::function<bool()> make_room = {};
  // Called for an address over the limit. None: nobody wants to know.
  std::function<void(const base::Address&)> unanswered = {};
  // The conversation for it, in its lane.
  std::function<std::shared_ptr<Conversation>(TcpLane& lane, Accepted accepted)> welcome;
};

struct TcpShared : Services {
  TcpShared(Services services, TcpConfig settings, TcpProtocol what)
      : Services(std::move(services)),
        config(std::move(settings)),
        protocol(std::move(what)),
        most_per_address_(config.most_per_address) {}

  // A place for one more connection of this address; give_back() when it has closed.
  // False: it was refused.
  bool take_room(const base::Address& address);
  void give_back(const base::Address& address);
  // An existing connection had to go for others. Not from within make_room().
  void turned_away(const base::Address& address);
  // Connections of one address, for new ones.
  void limit(std::size_t most_per_address) { most_per_address_ = most_per_address; }
  // Of any listener.
  void accepting_paused(bool paused) { paused_ = paused; }
  FrontStatus status() const;

  const TcpConfig config;
  const TcpProtocol protocol;

 private:
  // Over the limit, while connections that have to go are closing.
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
