// What takes effect without a restart: the settings file is read again, and so are the
// certificates. On SIGHUP, and by 'vantro reload'.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "api/service.h"
#include "base/log.h"
#include "base/mutex.h"
#include "daemon/command_line.h"
#include "daemon/fronts.h"
#include "gate/gate.h"
#include "net/tcp_shared.h"
#include "repository/published.h"
#include "repository/repository.h"

namespace vantro::daemon {

// The current settings. Only reloadable ones may differ from those at the start.
using LiveSettings = repository::Published<Settings>;

// Thread-safe; not for the fronts' threads. All of it must outlive this.
class Reload {
 public:
  // `management`: the certificate of the management API; null: it has none. `room`: the
  // number behind limits.connections.
  Reload(const Options& options, std::shared_ptr<crypto::TlsServer> management,
         const std::vector<FrontEntry>& fronts, net::ConnectionRoom& room,
         LiveSettings& live, gate::Gate& gate, repository::Repository& repository,
         const base::Log& log)
      : options_(options),
        management_(std::move(management)),
        fronts_(fronts),
        room_(room),
        live_(live),
        gate_(gate),
        repository_(repository),
        log_(log) {}

  // The result is in the log and in the ledger, too. Refused without any change if the
  // file is wrong, or an address cannot be listened on; a certificate that cannot be read
  // stays as it was, and is among the failures. `dry_run`: nothing is changed.
  base::Outcome<api::Reloaded> run(bool dry_run, const repository::By& by);

 private:
  base::Outcome<void> move_listeners(const Settings& from, const Settings& to);
  void certificates(api::Reloaded& done);

  const Options& options_;
  const std::shared_ptr<crypto::TlsServer> management_;
  const std::vector<FrontEntry>& fronts_;
  net::ConnectionRoom& room_;
  LiveSettings& live_;
  gate::Gate& gate_;
  repository::Repository& repository_;
  const base::Log& log_;
  base::Mutex one_at_a_time_;
};

}  // namespace vantro::daemon
