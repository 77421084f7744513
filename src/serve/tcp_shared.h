// What the lanes of a server over TCP have in common. Thread-safe.
#pragma once

#include <atomic>
#include <boost/asio/io_context.hpp>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/log.h"
#include "base/unique_fd.h"
#include "crypto/tls.h"
#include "gate/gate.h"

namespace vantro::serve {

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

 private:
  const std::size_t most_;
  std::atomic<std::size_t> taken_ = 0;
};

// What a server works with. All of it must outlive the server, and the pools' work must
// be joined before the gate goes.
struct Services {
  boost::asio::io_context& disk;
  boost::asio::io_context& slow;   // what may last a minute
  boost::asio::io_context& doors;  // the looking at passwords
  // The filing of uploads, which waits for the disk: as many are filed together as there
  // are threads.
  boost::asio::io_context& filing;
  gate::Gate& gate;
  const base::Clock& clock;
  base::Log log;
  ConnectionRoom& room;
};

struct TcpConfig {
  std::vector<base::Endpoint> listen;
  std::vector<base::Endpoint> listen_tls;  // REQUIRES: tls, if there is one
  std::shared_ptr<crypto::TlsServer> tls;
  std::size_t threads = 2;
  // Of this protocol; and all share Services::room.
  std::size_t most_connections = 4000;
  std::size_t most_per_address = 256;
};

// In what the protocols over TCP differ.
struct TcpProtocol {
  std::string name;           // one of base::protocols()
  std::string name_with_tls;  // where it listens under TLS
  // What else is spoken where it listens: SCP beside SFTP, say.
  std::vector<std::string> also = {};
  std::string no_room;  // said in the clear to a connection that there is no room for
  // Ends a connection that has led to nothing yet, for one that comes; false: there is
  // none. Must not wait. None: nobody has to go.
  std::function<bool()> make_room = {};
  // The one that speaks it, in the lane that it belongs to.
  std::function<std::shared_ptr<Conversation>(
      TcpLane& lane, base::UniqueFd socket, std::unique_ptr<crypto::TlsChannel> tls,
      gate::Asker asker, const base::Endpoint& local)>
      welcome;
};

struct TcpShared : Services {
  TcpShared(Services services, TcpConfig settings, TcpProtocol what)
      : Services(std::move(services)),
        config(std::move(settings)),
        protocol(std::move(what)) {}

  // Room for one more connection of this address; give_back() when it has gone.
  bool take_room(const base::Address& address);
  void give_back(const base::Address& address);

  // Looks at the password on the pool for that, and says there what came of it. False if
  // so many wait that this one is not looked at: a flood of them is refused, not queued.
  // The same name and password from many devices count once, as only the first takes
  // long.
  bool log_in(const gate::Asker& asker, const std::string& name,
              const std::string& password,
              std::function<void(base::Outcome<std::string>)> then);
  static constexpr const char* kTooManyLogIns =
      "too many passwords are being looked at; try again in a moment";

  const TcpConfig config;
  const TcpProtocol protocol;

 private:
  static constexpr std::size_t kMostAtTheDoors = 64;
  // Over the limit, while those that have to go are leaving.
  static constexpr std::size_t kMostLeaving = 16;

  std::mutex mutex_;
  // How many wait with the same name and password, by their hash; guarded by mutex_.
  std::map<std::size_t, std::size_t> at_the_doors_;
  std::size_t connections_ = 0;                       // guarded by mutex_
  std::map<base::Address, std::size_t> per_address_;  // guarded by mutex_
};

}  // namespace vantro::serve
