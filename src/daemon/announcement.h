// What vantrod prints when it is ready: its addresses, and what to do first.
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

// The state of SSH, for "vantro status".
api::Ssh ssh_status(const serve::ssh::Server& server);

// On standard output, or as log lines if the log is JSON. `devices`: the ports for
// devices; `ssh` is null if it is not served.
void say_where(const Options& options, const char* version,
               const repository::Repository& repository,
               const std::vector<base::Listening>& devices, const serve::ssh::Server* ssh,
               const Management& management, const base::Log& log);

// For `systemctl status`: "3 transfers running, 45 names on offer".
std::string status_line(const gate::Gate& gate, const repository::Repository& repository);
// Writes what a stop waits for to the log and the service manager.
void say_waiting(const gate::Gate& gate, base::WallTime until, const base::Log& log);

}  // namespace vantro::daemon
