// SSH for devices: files over SCP and SFTP, for accounts (RFC 4251 to 4254). The
// transport is libssh's; the protocols in the channels are ours (wire/scp, wire/sftp).
//
// Each connection has a thread of its own, as libssh handles whole messages and some of
// them cost milliseconds: nobody waits for another's key exchange or disk.
#pragma once

#include <atomic>
#include <cstdint>
#include <libssh/server.h>
#include <map>
#include <memory>
#include <optional>
#include <random>
#include <string>
#include <thread>
#include <vector>

#include "base/clock.h"
#include "base/log.h"
#include "base/mutex.h"
#include "serve/shared.h"
#include "serve/ssh/algorithms.h"
#include "serve/ssh/host_keys.h"

namespace vantro::serve::ssh {

class Connection;

struct Config {
  base::Duration log_in_patience = std::chrono::seconds(60);  // from the first byte on
  base::Duration idle_patience = std::chrono::seconds(300);   // no file is open
  base::Duration stall_patience = std::chrono::seconds(60);   // one is, without progress
  int most_wrong_passwords = 6;                               // in one connection
  // Connections without a log-in: above the first number some are dropped, and at the
  // second each new one costs an old one.
  std::size_t few_waiting = 64;
  std::size_t most_waiting = 96;
  std::vector<Older> older;
  std::string version;
};

// A session that used older algorithms.
struct OlderSession {
  base::WallTime at = 0;
  std::string address;
  std::string account;
  std::string algorithms;  // separated by commas
};

// Thread-safe. Its users keep it alive.
class Server : public std::enable_shared_from_this<Server> {
 public:
  // Its host keys are in that folder. kIo.
  static base::Outcome<std::shared_ptr<Server>> create(std::string key_folder,
                                                       Config config, base::Log log);

  // Waits for keys that are being made.
  ~Server();

  // Before it listens. Reads the host keys; missing ones are made meanwhile, and
  // connections wait for them. Again: only if there were none. kCorrupt, kIo. Not for two
  // threads at once.
  base::Outcome<void> need_keys();

  // For a TcpServer.
  net::TcpProtocol protocol(const Services& services);
  const Config& config() const { return config_; }

  struct ShownKey {
    std::string type;
    std::string fingerprint;
  };
  // Empty while they are being made.
  std::vector<ShownKey> host_keys() const;
  // Why there are none, if they could not be made; else empty.
  std::string trouble() const;

  // For connections: sets the session up on that socket, when there are host keys; false
  // if that fails.
  bool accept(ssh_session session, base::UniqueFd socket,
              const std::set<std::string>& older);
  std::set<std::string> older_for(const base::Address& address) const;
  void met_older(OlderSession session);
  // It has logged in, or is over.
  void no_longer_waits(const Connection* connection);

  std::uint64_t older_sessions() const;
  std::optional<OlderSession> last_older() const;

 private:
  struct BindFree {
    void operator()(ssh_bind bind) const { ssh_bind_free(bind); }
  };

  Server(std::string key_folder, Config config, base::Log log);
  void take(std::vector<HostKey> keys);
  void make_keys();
  // Connections without a log-in have places of their own, fewer than there are
  // connections: some of them are dropped at random, the more the fuller it is.
  void drop_early();
  // Drops one of those without a log-in at random: a crowd of them that only stays must
  // not lock everybody else out.
  bool end_one_that_waits();

  const std::string key_folder_;
  const Config config_;
  const base::Log log_;
  mutable base::Mutex mutex_;
  base::Condition keys_there_;
  bool ready_ VANTRO_GUARDED_BY(mutex_) = false;
  std::string trouble_ VANTRO_GUARDED_BY(mutex_);
  std::vector<ShownKey> shown_ VANTRO_GUARDED_BY(mutex_);
  std::unique_ptr<ssh_bind_struct, BindFree> bind_ VANTRO_GUARDED_BY(mutex_);
  // By address: holding one here could make this the last to hold it.
  std::map<const Connection*, std::weak_ptr<Connection>> waiting_
      VANTRO_GUARDED_BY(mutex_);
  std::mt19937 random_ VANTRO_GUARDED_BY(mutex_){std::random_device{}()};
  std::uint64_t older_sessions_ VANTRO_GUARDED_BY(mutex_) = 0;
  std::optional<OlderSession> last_older_ VANTRO_GUARDED_BY(mutex_);
  std::thread maker_;  // of the keys
};

}  // namespace vantro::serve::ssh
