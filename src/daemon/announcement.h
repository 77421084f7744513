// What vantrod says when it is ready: where it is reached, and what to do first.
#pragma once

#include <string>
#include <vector>

#include "api/shapes.h"
#include "base/address.h"
#include "base/log.h"
#include "daemon/command_line.h"
#include "daemon/fronts.h"
#include "daemon/management.h"
#include "net/front.h"
#include "repository/repository.h"
#include "serve/ssh/server.h"

namespace vantro::daemon {

// How busy they are, for "vantro status".
std::vector<api::Front> front_states(const std::vector<FrontEntry>& fronts);

// What SSH shows and has met, for "vantro status".
api::Ssh ssh_status(const serve::ssh::Server& server);

// On standard output, or as log lines where the log is JSON. `devices`: where they can
// come in; `ssh` is null where it is not served.
void say_where(const Options& options, const char* version,
               const repository::Repository& repository,
               const std::vector<base::Listening>& devices, const serve::ssh::Server* ssh,
               const Management& management, const base::Log& log);

// For `systemctl status`: "3 transfers running, 45 names on offer".
std::string status_line(const gate::Gate& gate, const repository::Repository& repository);
// What a stop waits for, into the log and to the service manager.
void say_waiting(const gate::Gate& gate, base::WallTime until, const base::Log& log);

}  // namespace vantro::daemon
