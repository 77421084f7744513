// What takes effect without a restart: on SIGHUP the settings file is read again, and so
// are the certificates.
#pragma once

#include "base/log.h"
#include "daemon/command_line.h"
#include "gate/gate.h"
#include "repository/published.h"
#include "repository/repository.h"

namespace vantro::daemon {

// The settings as they hold now. Only those that are reloadable may differ from those at
// the start.
using LiveSettings = repository::Published<Settings>;

// Not thread-safe. All of it must outlive it.
class Reload {
 public:
  // `management`: the certificate of the management API; null: it has none.
  Reload(const Options& options, std::shared_ptr<crypto::TlsServer> management,
         LiveSettings& live, gate::Gate& gate, repository::Repository& repository,
         const base::Log& log)
      : options_(options),
        management_(std::move(management)),
        live_(live),
        gate_(gate),
        repository_(repository),
        log_(log) {}

  // What came of it is in the log and in the ledger. If the file can't be taken, all
  // settings stay; a certificate that can't be read stays as it was.
  void operator()();

 private:
  void settings();
  void certificates();

  const Options& options_;
  const std::shared_ptr<crypto::TlsServer> management_;
  LiveSettings& live_;
  gate::Gate& gate_;
  repository::Repository& repository_;
  const base::Log& log_;
};

}  // namespace vantro::daemon
