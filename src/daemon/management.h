// Where people and programs manage the server: on loopback, under TLS, by the local
// socket. A part that fails is reported as trouble, while devices are served.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"
#include "base/log.h"
#include "base/outcome.h"
#include "crypto/tls.h"
#include "daemon/fronts.h"
#include "daemon/local_socket.h"
#include "daemon/settings.h"
#include "manage/server.h"
#include "manage/service.h"
#include "net/tcp_shared.h"

namespace vantro::daemon {

class Management {
 public:
  // Makes a certificate in the state folder if one is needed and none was given. Refused
  // if the settings name a socket path or a certificate that cannot be used. `log` must
  // outlive it.
  static base::Outcome<std::unique_ptr<Management>> prepare(const Settings& settings,
                                                            const base::Log& log);

  // Listens where it can. Failures go to the log and into trouble(). What `services`,
  // `pools` and `service` name must outlive the front.
  FrontEntry listen(const net::Services& services, const manage::Pools& pools,
                    manage::Service& service);

  // After listen(), and thread-safe from then on. For the status: its addresses, and what
  // is wrong.
  std::vector<api::Listener> listeners() const;
  std::vector<std::string> trouble() const;
  // Some address was taken: the exit code says so, too.
  bool incomplete() const { return incomplete_; }

  // Empty: there is none.
  std::string socket() const { return socket_ ? socket_->path() : ""; }
  // Null: no TLS.
  const std::shared_ptr<crypto::TlsServer>& tls() const { return tls_; }

 private:
  Management(const Settings& settings, const base::Log& log)
      : settings_(settings), log_(log) {}

  base::Outcome<void> open_socket();
  base::Outcome<void> load_certificate();

  const Settings& settings_;
  const base::Log& log_;
  std::optional<LocalSocket> socket_;
  std::shared_ptr<crypto::TlsServer> tls_;
  std::vector<base::Listening> listening_;
  std::vector<std::string> not_there_;  // sentences
  bool incomplete_ = false;
};

}  // namespace vantro::daemon
